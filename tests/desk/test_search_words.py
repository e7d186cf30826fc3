"""Who searches for what an NPC should do finds the row for it among the first
three.
"""

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.desk.views.ledger.search import offers, typed
from umbrant.desk.views.ledger.thesaurus import LONGEST_PHRASE, words_known

WANTED = {
    "move_to": "chase pursue go approach walk run travel hunt charge reach advance come fetch seek"
    " intercept visit investigate return patrol",
    "follow": "escort tail shadow companion trail accompany",
    "move_away": "flee escape retreat avoid evade panic fear scatter withdraw",
    "wander": "roam stroll drift graze loiter explore",
    "go_along": "patrol beat waypoints route path tour circuit rounds",
    "keep_ring": "circle strafe orbit surround flank stalk encircle kite",
    "take_cover": "hide shelter conceal ambush sneak",
    "stop": "halt freeze brake",
    "face": "aim stare gaze orient rotate",
    "look_about": "scan survey glance",
    "wait": "pause idle rest stand sleep linger",
    "say": "talk speak shout bark chatter dialogue print warn greet taunt log",
    "make_noise": "sound yell distract lure footstep",
    "raise_event": "signal alarm broadcast notify emit announce",
    "tell_agent": "order command message",
    "tell_group": "squad rally alert",
    "use": "interact operate open activate repair door lever unlock lock craft sit",
    "use_up": "eat drink consume refill ammo fuel",
    "strike": "attack hit fight punch bite damage hurt shoot melee kill combat",
    "carry": "grab take lift collect loot gather steal",
    "drop": "deliver unload release",
    "throw": "toss hurl fling grenade lob",
    "change_stat": "heal energy health stamina hunger",
    "change_slowly": "recover regenerate drain recharge",
    "clear": "forget reset unset erase",
    "set_yes_no": "flag toggle boolean",
    "set_number": "assign variable store",
    "count": "increment counter tally increase",
    "look_out": "see spot notice perceive vision detect sense",
    "listen": "hear eavesdrop",
    "pick": "nearest closest target enemy",
    "pick_point": "somewhere destination",
    "check": "condition if test near distance visible",
    "selector": "choose fallback priority otherwise",
    "sequence": "steps routine combo then",
    "random_selector": "shuffle varied",
    "parallel": "together simultaneously",
    "machine": "states modes phases",
    "utility": "score needs desires weigh",
    "use_behavior": "subtree reuse include",
    "cooldown": "throttle",
    "time_limit": "timeout deadline abort",
    "invert": "not opposite negate unless",
    "repeat": "loop again iterate",
    "repeat_until": "forever endless until",
    "retry": "attempts persist",
    "chance": "random probability sometimes dice odds luck maybe",
    "at_most": "once limit maximum",
    "delay": "hesitate",
}
MEANING_THE_SAME = {
    "move_to": "navigate dash march head reposition jog hurry",
    "follow": "chaperone ally",
    "move_away": "disengage scram bolt skedaddle",
    "wander": "ramble meander mosey browse",
    "go_along": "march sentinel perimeter",
    "keep_ring": "harass skirmish hover prowl",
    "take_cover": "stealth camouflage bunker squat",
    "stop": "cease immobilize stationary",
    "face": "swivel pivot glare",
    "look_about": "peer scout spy",
    "wait": "dwell stall tarry await",
    "say": "utter mutter grumble chant reply",
    "make_noise": "honk clang siren creak",
    "raise_event": "dispatch publish proclaim",
    "tell_group": "backup muster regroup",
    "use": "switch mend tinker crank",
    "use_up": "feed ingest devour quaff",
    "strike": "assault slay maul gnaw brawl",
    "carry": "pickup pocket scoop forage",
    "drop": "discard dump",
    "throw": "pitch chuck heave",
    "change_stat": "cure buff nerf injure",
    "change_slowly": "regen decay wane",
    "clear": "wipe blank nullify",
    "set_number": "put define",
    "count": "append accumulate deduct",
    "look_out": "awareness sighting discover",
    "listen": "auditory hark",
    "pick": "prefer shortlist strongest",
    "pick_point": "sample vantage",
    "check": "predicate assert precondition verify",
    "selector": "alternatives elect default",
    "sequence": "ordered chain workflow",
    "parallel": "concurrent multithread jointly",
    "machine": "automaton statemachine flowchart",
    "utility": "considerations prioritize rank",
    "use_behavior": "macro prefab subroutine",
    "cooldown": "debounce interval cadence",
    "time_limit": "expire cutoff",
    "invert": "flip negation inverse",
    "repeat": "recur twice",
    "retry": "reattempt persevere",
    "chance": "coin rng gamble",
    "at_most": "cap quota budget",
    "delay": "postpone telegraph stagger",
}
SENTENCES = {
    "run away": "move_away",
    "pick up": "carry",
    "put down": "drop",
    "look around": "look_about",
    "state machine": "machine",
    "at the same time": "parallel",
    "give up": "time_limit",
    "last seen": "look_out",
    "random point": "pick_point",
    "keep distance": "keep_ring",
    "try again": "retry",
    "do nothing": "wait",
    "go to the door": "move_to",
    "run away from the visitor": "move_away",
    "attack the enemy": "strike",
    "look for the visitor": "look_out",
    "open door": "use",
    "find nearest enemy": "pick",
    "patrol between points": "go_along",
    "chasing": "move_to",
    "attacked": "strike",
    "hides": "take_cover",
    "check if the visitor is near": "check",
    "become angry": "set_text",
}


def found(text: str) -> list[str]:
    """The kinds that the search lists first for a text, each once."""
    holder, chosen = BUILTIN.kinds["selector"], BUILTIN.kinds["wait"]
    listed, _ = typed(text, offers(BUILTIN, holder, chosen))
    return list(dict.fromkeys(offer.kind.id for offer in listed))[:3]


def test_nearly_every_word_of_intent_finds_its_row_among_the_first_three() -> (
    None
):
    words = [
        (word, kind) for kind, text in WANTED.items() for word in text.split()
    ]
    missed = [
        (word, kind, found(word))
        for word, kind in words
        if kind not in found(word)
    ]
    assert len(words) >= 150
    assert len(missed) <= len(words) * 0.05, missed


def test_a_word_that_only_means_the_same_finds_the_row_as_well() -> None:
    pairs = [
        (word, kind)
        for kind, words in MEANING_THE_SAME.items()
        for word in words.split()
    ]
    missed = [
        (word, kind, found(word)[:3])
        for word, kind in pairs
        if kind not in found(word)[:3]
    ]
    assert len(pairs) >= 140
    assert len(missed) <= len(pairs) * 0.05, missed
    # The word itself comes before what means the same.
    assert found("switch on")[0] == "set_yes_no"
    assert found("jogging")[0] == "move_to"
    assert found("skedad")[:1] == ["move_away"], "while it is being typed"
    assert found("head to the door")[0] == "move_to"


def test_every_word_that_others_stand_for_is_one_that_a_kind_is_for() -> None:
    declared = {each.title.lower() for each in BUILTIN.kinds.values()}
    declared.update(
        word for each in BUILTIN.kinds.values() for word in each.intents
    )
    stood_for = {word for words in words_known().values() for word in words}
    assert len(words_known()) > 1000
    assert stood_for <= declared, sorted(stood_for - declared)
    assert max(len(word.split()) for word in words_known()) <= LONGEST_PHRASE


@pytest.mark.parametrize("text", SENTENCES)
def test_an_intent_of_several_words_finds_its_row(text: str) -> None:
    assert SENTENCES[text] in found(text)


@pytest.mark.parametrize("kind", [each.id for each in BUILTIN.kinds.values()])
def test_an_exact_name_comes_first(kind: str) -> None:
    holder, chosen = BUILTIN.kinds["selector"], BUILTIN.kinds["wait"]
    offered = offers(BUILTIN, holder, chosen)
    title = BUILTIN.kinds[kind].title
    if any(each.kind.id == kind for each in offered):
        assert typed(title, offered)[0][0].kind.title == title
