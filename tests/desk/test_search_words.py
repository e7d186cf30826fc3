"""Who searches for what an NPC should do finds the row for it among the first three."""

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.desk.views.ledger.search import offers, typed

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


def test_nearly_every_word_of_intent_finds_its_row_among_the_first_three() -> None:
    words = [(word, kind) for kind, text in WANTED.items() for word in text.split()]
    missed = [(word, kind, found(word)) for word, kind in words if kind not in found(word)]
    assert len(words) >= 150
    assert len(missed) <= len(words) * 0.05, missed


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
