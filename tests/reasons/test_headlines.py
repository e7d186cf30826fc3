"""The sentence that an answer begins with: what was chosen last, and why."""

import re
from collections.abc import Sequence

from tests.kinds import CATALOG
from tests.reasons.count_claims import contradicts_itself
from tests.small import key, played, project, record, row
from umbrant.model.behaviors import Key, Row, Watch
from umbrant.model.documents import Project
from umbrant.model.staging import (
    Body,
    Cue,
    Member,
    RaiseEvent,
    Stat,
    WalkPoint,
)
from umbrant.model.values import KeyType
from umbrant.reasons.decision_changes import choices, decision_changes
from umbrant.reasons.why import Explainer


def headlines(made: Project, *ticks: int) -> Sequence[str]:
    explains = Explainer(played(made), "a", CATALOG)
    answers = [explains.why(each) for each in ticks]
    assert all(answer.headline for answer in answers)
    return [answer.headline.text for answer in answers if answer.headline]


def a_day(*in_work: Row) -> tuple[Row, ...]:
    """A utility whose option *Work* is worth more until 1.5 s, and then *Tea*
    is.
    """
    return (
        row("uu", "utility", name="Day", stay_bonus=0.1),
        row("ow", "option", "uu", name="Work"),
        row("cw", "consider", "ow", input="1 - clock()", low=0, high=1),
        *in_work,
        row("ot", "option", "uu", name="Tea"),
        row("ct", "consider", "ot", input="clock() - 0.5", low=0, high=1),
        row("l9", "last", "ot", name="Sip", ticks=90),
    )


JOB = (
    row("mm", "machine", "ow", name="Job"),
    row("s1", "state", "mm", name="Idle"),
    row("l1", "last", "s1", name="Lean", ticks=90),
    row("t1", "on_event", "s1", event="order", to="s2", name="New"),
    row("s2", "state", "mm", name="Fetch"),
    row("l2", "last", "s2", name="Look", ticks=2, success=False),
    row("t2", "on_done", "s2", result="failure", to="s1", name="No use"),
)


AN_ORDER = (Cue(at_s=0.2, does=RaiseEvent(raises="order")),)


def test_a_state_that_was_entered_within_an_option_is_what_is_said() -> None:
    made = project(*a_day(*JOB), seconds=0.9, cues=AN_ORDER)
    assert headlines(made, 1, 3, 6) == [
        "a is at Lean, in Work, since 0.00 s, because Work scored 1.00, and "
        "the next one, Tea, 0.00.",
        "a is at Look, in Fetch, since 0.20 s, because New: order was "
        "received; Work has been running since 0.00 s.",
        "a is at Lean, in Idle, since 0.40 s, because No use fired: Fetch was "
        "done with failure: Look failed; Work has been running since 0.00 s.",
    ]


def test_a_choice_that_was_made_with_the_lead_gives_the_reason_of_the_lead() -> (
    None
):
    chooses = (
        row("se", "selector", "ow", name="How"),
        row("l1", "last", "se", name="Saw", ticks=3, success=False),
        row("l2", "last", "se", name="Hammer", ticks=90),
    )
    made = project(*a_day(*chooses), seconds=0.7)
    first, then = headlines(made, 1, 5)
    assert first.startswith("a is at Saw, in Work, since 0.00 s, because Work")
    assert then == (
        "a is at Hammer, since 0.30 s, because Saw failed; Work has been "
        "running since 0.00 s."
    )


def test_what_was_chosen_again_says_after_what() -> None:
    chooses = (
        row(
            "se",
            "selector",
            "ow",
            name="How",
            decorators=[("repeat_for_ever", {})],
        ),
        row("l1", "last", "se", name="Saw", ticks=2),
        row("l2", "last", "se", name="Hammer", ticks=90),
    )
    (text,) = headlines(project(*a_day(*chooses), seconds=0.7), 4)
    assert text == (
        "a is at Saw, since 0.30 s again, after Saw was done; Work has been "
        "running since 0.00 s."
    )


def test_steps_of_a_sequence_are_no_choice() -> None:
    steps = (
        row("sq", "sequence", "ow", name="Build"),
        row("l1", "last", "sq", name="Saw", ticks=2),
        row("l2", "last", "sq", name="Nail", ticks=90),
    )
    made = project(*a_day(*steps), seconds=0.7)
    assert choices(made.behaviors[0], "sq") == ()
    assert choices(made.behaviors[0], "uu") == ("ow", "ot")
    (text,) = headlines(made, 5)
    assert text.startswith("a is at Nail, in Work, since 0.00 s, because Work")


def test_a_machine_says_where_it_began() -> None:
    made = project(
        row("mm", "machine", name="Mood", initial="s2"),
        row("s1", "state", "mm", name="Calm"),
        row("s2", "state", "mm", name="Upset"),
        row("l2", "last", "s2", name="Sulk", ticks=90),
        seconds=0.5,
    )
    assert headlines(made, 2) == [
        "a is at Sulk, in Upset, since 0.00 s, because Mood begins in it."
    ]


def test_an_option_that_follows_one_that_is_done_says_what_it_scored() -> None:
    made = project(
        row("uu", "utility", name="Day", hold=2),
        row("oa", "option", "uu", name="Eat"),
        row("ca", "consider", "oa", input="1 - clock()", low=0, high=1),
        row("la", "last", "oa", name="Chew", ticks=6),
        row("ob", "option", "uu", name="Nap"),
        row("cb", "consider", "ob", input="clock()", low=0, high=1),
        row("lb", "last", "ob", name="Snore", ticks=9),
        seconds=1.0,
    )
    assert headlines(made, 9) == [
        "a is at Snore, in Nap, since 0.70 s, because Eat was done; Nap "
        "scored 0.70, and the next one, Eat, 0.30."
    ]


def test_scores_that_hardly_differ_are_told_apart() -> None:
    made = project(
        row("uu", "utility", name="Day"),
        row("ow", "option", "uu", name="Work"),
        row("cw", "consider", "ow", input='stat("energy")', low=0, high=1),
        row("lw", "last", "ow", name="Saw", ticks=90),
        row("ot", "option", "uu", name="Tea"),
        row("ct", "consider", "ot", input='1 - stat("energy")'),
        row("lt", "last", "ot", name="Sip", ticks=90),
        body=Body(stats={"energy": Stat(value=0.5003, per_s=-0.001)}),
        seconds=0.6,
    )
    explains = Explainer(played(made), "a", CATALOG)
    _, change = decision_changes(explains.take, "a")
    text = explains.change(change).text
    assert re.fullmatch(
        r"Tea: Work was left: Tea scores 0\.5\d*, and it scores 0\.(5|49)\d*",
        text,
    )
    assert not contradicts_itself(text)


def test_the_bonus_for_staying_is_named_where_it_counted() -> None:
    made = project(
        *a_day(row("lw", "last", "ow", name="Saw", ticks=90)), seconds=1.2
    )
    assert headlines(made, 10) == [
        "a is at Sip, in Tea, since 0.90 s, because Work was left: Tea scores "
        "0.4, and it scores 0.2 with its bonus for staying."
    ]


def test_a_sentence_that_contradicts_itself_is_found() -> None:
    for text in (
        "because energy is 0.35, below 0.35.",
        "visitor is no — 8 m away, beyond 8 m",
        "Tea scores 0.55, and it scores 0.55",
        "the barrel holds 0.2, less than 0.20.",
        "Run was refused: alert is 0, not above 0.5; alert became 0.4 at this "
        "tick by z’s 1.2.",
        "lit is no; lit became yes 0.20 s ago by 1 upkeep",
        "foe is not set; foe became z 0.20 s ago by 1 upkeep",
    ):
        assert contradicts_itself(text), text
    for text in (
        "because energy is 0.3499, below 0.35.",
        "visitor is no — 8.003 m away, beyond 8 m",
        "n is 4, not above 4.",
        "Tea scores 0.551, and it scores 0.55",
        "distance is 4 m, not below 4 m",
        "it is 1.5 m, below 1.55 m",
        "n is 1.234, not above 1.5; n became 1.23 0.10 s ago by 1.2",
        "foe is set, and lit is yes; foe became z 0.10 s ago by 1.2; lit "
        "became yes 0.10 s ago by 1.2",
    ):
        assert not contradicts_itself(text), text


def test_a_guard_lets_in_what_was_chosen_within_the_lead() -> None:
    chooses = (
        row("se", "selector", "ow", name="How"),
        row(
            "l1",
            "last",
            "se",
            name="Saw",
            ticks=90,
            guard=("clock() > 0.25", Watch.TAKE_OVER),
        ),
        row("l2", "last", "se", name="Hammer", ticks=90),
    )
    (text,) = headlines(project(*a_day(*chooses), seconds=0.7), 5)
    assert text == (
        "a is at Saw, since 0.30 s, because the time was 0.3 s, above 0.25 s; "
        "Work has been running since 0.00 s."
    )


def test_what_an_upkeep_found_that_never_wrote_its_key_is_said() -> None:
    made = project(
        row(
            "se",
            "selector",
            upkeep=[("listen", 0.2, {"where": key("noise")})],
        ),
        row("l1", "last", "se", name="Go", guard="is_set(noise)"),
        row("l2", "last", "se", name="Nap", ticks=90),
        keys=(Key(name="noise", type=KeyType.POINT),),
        seconds=0.8,
    )
    explains = Explainer(played(made), "a", CATALOG)
    texts = [explains.why_not(tick, "l1").lines[0].text for tick in (0, 1)]
    assert texts[0].startswith(
        "Go was refused: noise is not set; at this tick 1 upkeep found there "
        "was no noise."
    )
    assert "; 0.10 s ago 1 upkeep found there was no noise." in texts[1]


def test_that_what_writes_a_key_has_not_run_is_said() -> None:
    finds = ("set_number", 0.2, {"key": key("m"), "value": 2.0})
    made = project(
        row("se", "selector"),
        row("l1", "last", "se", name="Go", guard="m > 1", upkeep=[finds]),
        row("l2", "last", "se", name="On", guard="n < 9"),
        row("w1", "set_number", "se", value=9.0, key=key("n"), guard="m > 2"),
        row("w2", "set_number", "se", value=1.0, key=key("n"), guard="no"),
        row("l3", "last", "se", name="Nap", ticks=90),
        keys=(
            Key(name="m", type=KeyType.NUMBER),
            Key(name="n", type=KeyType.NUMBER),
        ),
        seconds=0.8,
    )
    explains = Explainer(played(made), "a", CATALOG)
    go, on = (explains.why_not(0, each).lines[0] for each in ("l1", "l2"))
    assert go.text.startswith(
        "Go was refused: m > 1 cannot be said — m is not set; 1.1 upkeep, "
        "which writes m, has not run before."
    )
    assert on.text.startswith(
        "On was refused: n < 9 cannot be said — n is not set; 1.3 and 1.4, "
        "which write n, have not run before."
    )


def test_what_leads_first_says_which_row_was_refused_before_it() -> None:
    """Nothing had led before, so nothing has made room; the guard of the one
    before it is why.
    """
    made = project(
        row("se", "selector"),
        row("l1", "last", "se", name="Go", guard="n > 1"),
        row("l2", "last", "se", name="Run", guard="n > 2"),
        row("l3", "last", "se", name="Nap", ticks=90),
        keys=(Key(name="n", type=KeyType.NUMBER, default=1.0),),
        seconds=0.8,
    )
    assert headlines(made, 0, 3) == [
        "a is at Nap, since 0.00 s, because Run was refused: n is 1, not above 2.",
        "a is at Nap, since 0.00 s, because Run was refused: n was 1, not above 2.",
    ]


def test_what_an_upkeep_finds_now_is_said_beside_what_it_found_once() -> None:
    """It was not seen any more because it went out of sight; it is not seen
    now because it is far.
    """
    notes = (
        "note_seen",
        0.1,
        {"group": "ones", "key": key("foe"), "within": 3.5},
    )
    made = project(
        row("se", "selector", upkeep=[notes]),
        row(
            "l1",
            "last",
            "se",
            name="Go",
            guard=("distance(foe) < 1", Watch.TAKE_OVER),
        ),
        row("l2", "last", "se", name="Nap", ticks=90),
        keys=(Key(name="foe", type=KeyType.AGENT),),
        cast=(
            Member(
                name="v",
                group="ones",
                start=(5.0, 5.0),
                walk=(
                    WalkPoint(at_s=1.0, to=(2.0, 9.0)),
                    WalkPoint(at_s=3.0, to=(2.0, 18.0)),
                ),
            ),
        ),
        seconds=3.0,
    )
    explains = Explainer(played(made), "a", CATALOG)
    texts = [explains.why_not(tick, "l1").lines[0].text for tick in range(30)]
    (turned,) = [each for each in texts if "became not set 0.20 s ago" in each]
    assert "which found none of ones is seen: v, the nearest, is " in turned
    assert "to the side, outside the cone. It has" in turned
    assert (
        texts[-1]
        .partition(" upkeep, which found ")[2]
        .startswith(
            "none of ones is seen: v, the nearest, is 63° to the side, outside "
            "the cone, and at this tick none of ones is seen: v, the nearest, is "
            "4 m away, farther than it looks."
        )
    )


RING = (
    row("mm", "machine", name="Mood"),
    row("s1", "state", "mm", name="Calm"),
    row("t1", "when", "s1", when="clock() > 0.25", to="s2", name="Stir"),
    row("l1", "last", "s1", name="Sit", ticks=90),
    row("s2", "state", "mm", name="Upset"),
    row("l2", "last", "s2", name="Jump", ticks=0),
    row("t2", "on_done", "s2", to="s1", name="Settle"),
)


def test_a_machine_that_was_cut_off_is_part_of_the_sentence() -> None:
    early, late = headlines(project(*RING, seconds=0.8), 1, 5)
    assert early == (
        "a is at Sit, in Calm, since 0.00 s, because Mood begins in it."
    )
    assert late.endswith(
        "; Mood was cut off at this tick: Stir and Settle led it back within "
        "one tick to where it was, with its keys as they were; so it stopped "
        "there."
    )


def test_the_headline_of_why_not_is_one_sentence() -> None:
    """What more there is to say of a row stands in its own line, once."""
    made = project(
        row("se", "selector"),
        row("sq", "sequence", "se", name="Mr. Fix", guard="clock() > 9"),
        row("l1", "last", "sq", name="Saw"),
        row("l2", "last", "se", name="Nap", ticks=90),
        seconds=0.8,
    )
    answer = Explainer(played(made), "a", CATALOG).why_not(5, "l1")
    assert answer.headline is not None
    assert answer.headline.text == (
        "Saw runs only while Mr. Fix does: Mr. Fix was refused: the time was "
        "0 s, not above 9 s."
    )
    assert "it has not been asked since" in answer.lines[0].text


def test_what_was_displaced_is_not_said_to_have_failed_before() -> None:
    """A selector that starts from its first child stops the one that runs only
    after another was entered; that it had failed once led to nothing.
    """
    made = project(
        row("se", "selector", resumes_at="the first"),
        row("l1", "last", "se", name="Late", ticks=90, guard="clock() > 0.75"),
        row("l2", "last", "se", name="Try", ticks=4, success=False),
        row("l3", "last", "se", name="Rest", ticks=0),
        seconds=1.2,
    )
    take = played(made)
    tries = take.agents["a"].row("l2").spans
    assert [each.outcome for each in tries][-2:] == ["failure", "stopped"]
    (change,) = [
        each for each in decision_changes(take, "a") if each.row_id == "l1"
    ]
    assert tries[-1].end == change.start
    explains = Explainer(take, "a", CATALOG)
    assert explains.change(change).text == (
        "Late: the time is 0.8 s, above 0.75 s"
    )


def test_a_history_is_no_state_that_could_run_beside_another() -> None:
    made = project(
        row("mm", "machine"),
        row("re", "regions", "mm", name="Work"),
        row("ra", "state", "re", name="Hands"),
        row("rb", "state", "re", name="Mood"),
        row("hi", "history", "re", name="As before"),
        seconds=0.4,
    )
    answer = Explainer(played(made), "a", CATALOG).why(2)
    assert "Mood is active beside Hands" in answer.text
    assert "As before" not in answer.text


ROUND = (
    row("mm", "machine", name="Hunt"),
    row("s1", "state", "mm", name="Lurk"),
    row("l1", "last", "s1", ticks=2),
    row("t1", "on_done", "s1", to="s2", name="Enough"),
    row("s2", "final", "mm", name="Home"),
)


def test_a_machine_that_comes_to_its_end_says_where_and_how_it_goes_on() -> (
    None
):
    made = project(*ROUND, seconds=0.8)
    at_the_end, anew = headlines(made, 2, 4)
    assert at_the_end == (
        "a came to Home, because Enough fired: Lurk was done, and so Hunt "
        "succeeded at this tick."
    )
    assert anew == (
        "a is at l1, in Lurk, since 0.30 s, because Hunt began anew after "
        "it had succeeded."
    )
    explains = Explainer(played(made), "a", CATALOG)
    assert [line.text for line in explains.why(2).lines][1:] == [
        "Home was entered at this tick by Enough: Lurk was done. It was "
        "stopped at this tick: the machine ended."
    ]
    assert [line.text for line in explains.why_not(2, "s2").lines][:1] == [
        "Home was stopped at this tick: the machine ended."
    ]
    assert explains.why_not(2, "s1").lines[0].text == (
        "Lurk is not active: Home was. It has no transition that leads to it; "
        "Hunt begins in it."
    )


def test_a_row_that_follows_one_that_was_done_names_its_guard_as_well() -> (
    None
):
    rows = (
        row("top", "selector", decorators=[("repeat_for_ever", {})]),
        row("r1", "last", "top", name="Shoo", ticks=3, guard="clock() < 0.2"),
        row("r2", "last", "top", name="Tend", ticks=9, guard="clock() > 0.1"),
    )
    assert headlines(project(*rows, seconds=0.8), 5) == [
        "a is at Tend, since 0.40 s, because Shoo was done, and the time was "
        "0.4 s, above 0.1 s."
    ]


def test_nobody_is_at_a_transition_that_leads_back() -> None:
    explains = Explainer(
        played(
            project(
                row("mm", "machine", name="Day"),
                row("s1", "state", "mm", name="Rest"),
                row("t1", "when", "s1", when="yes", to="s1", name="Again"),
            )
        ),
        "a",
        CATALOG,
    )
    assert explains.path(0) == ("mm", "s1")
    answer = explains.why(0)
    assert answer.headline is not None
    assert "a is at Rest" in answer.headline.text
    assert not any("succeeded" in line.text for line in answer.lines)


def test_a_transition_that_fired_twice_on_the_way_round_is_named_once() -> (
    None
):
    """Two keys change places each time, so that the second time round all is
    as it was.
    """
    number = [
        Key(name=name, type=KeyType.NUMBER, default=value)
        for name, value in (("a", 1.0), ("b", 2.0), ("c", 1.0))
    ]
    moves = [("a", "c"), ("b", "a"), ("c", "b")]
    made = project(
        row("mm", "machine", name="Day"),
        row("s1", "state", "mm", name="Rest"),
        row("t1", "when", "s1", when="yes", to="s1", name="Again"),
        row("h1", "on_enter", "s1"),
        *[
            row(f"w{n}", "copy", "h1", source=key(one), key=key(other))
            for n, (one, other) in enumerate(moves)
        ],
        keys=tuple(number),
    )
    take = played(made)
    assert record(take, "mm").refusals["machine"][0].cause.facts["times"] == 2
    (said,) = headlines(made, 0)
    assert "Day was cut off at this tick: Again led it back" in said


def test_an_option_that_is_chosen_again_says_what_it_scored_then() -> None:
    (said,) = headlines(
        project(
            row("uu", "utility", name="Day"),
            row("ow", "option", "uu", name="Work"),
            row("cw", "consider", "ow", input="1 - clock() / 4", high=1),
            row("lw", "last", "ow", name="Dig", ticks=4),
            row("ot", "option", "uu", name="Tea"),
            row("ct", "consider", "ot", input="clock() / 4", high=1),
            row("lt", "last", "ot", name="Sip", ticks=4),
        ),
        7,
    )
    assert said == (
        "a is at Dig, in Work, since 0.50 s again, after Work was done; Work "
        "scored 0.88, and the next one, Tea, 0.12; Work has led since 0.00 s."
    )
