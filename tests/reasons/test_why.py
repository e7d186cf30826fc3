"""Why, why not, and changes of mind: of small takes in which the answer is
known, and of the demo.
"""

import re

import pytest

from tests.kinds import CATALOG
from tests.small import key, played, project, row
from umbrant.catalog.causes import cause
from umbrant.model.behaviors import (
    Blackboard,
    Event,
    EventList,
    Key,
    Row,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.staging import (
    Area,
    Cue,
    Member,
    MoveTo,
    Prop,
    RaiseEvent,
    SetKey,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import KeyType
from umbrant.reasons.condition_report import distinct
from umbrant.reasons.decision_changes import decision_changes, leading_spans
from umbrant.reasons.machine_report import entered_by
from umbrant.reasons.now import now_value
from umbrant.reasons.sentences import ClaimKind
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take
from umbrant.take.record import RowState


def explainer(made: Project) -> Explainer:
    return Explainer(played(made), "a", CATALOG)


CHASE = (
    row("top", "selector", name="Watch"),
    row(
        "r1",
        "sequence",
        "top",
        name="Chase",
        guard=("clock() > 0.45", Watch.THROUGHOUT),
    ),
    row("r11", "last", "r1", name="Run", ticks=50),
    row("r2", "last", "top", name="Stroll", ticks=50),
)


def test_why_goes_from_the_root_to_the_running_row_past_what_was_refused() -> (
    None
):
    answer = explainer(project(*CHASE, seconds=1.0)).why(3)
    assert answer.question == "why a is running 1.2"
    assert [line.text for line in answer.lines] == [
        "Watch tries its children in order.",
        "Chase was refused: the time is 0.3 s, not above 0.45 s.",
        "Stroll has been running for 0.30 s.",
    ]
    assert [line.row_id for line in answer.lines] == ["top", "r1", "r2"]


def test_why_not_of_a_state_answers_while_its_machine_is_still_delayed() -> (
    None
):
    rows = (
        row(
            "mm",
            "machine",
            name="Mood",
            decorators=[("delay", {"delay": 0.2})],
        ),
        row("aa", "state", "mm", name="Calm"),
        row("uu", "utility", "aa", name="Choose"),
        row("oo", "option", "uu", name="Rest"),
        row("cc", "consider", "oo", input="clock()", name="Late"),
        row("ll", "last", "oo", ticks=2),
    )
    explains = explainer(project(*rows, seconds=0.5))
    assert [line.text for line in explains.why_not(0, "aa").lines] == [
        "Calm has not been tried. It has not run before in this take."
    ]
    assert (
        explains.why_not(0, "cc").lines[0].text == "Calm has not been tried."
    )
    assert explains.why_not(4, "aa").lines[0].row_id == "aa"


def test_why_tells_that_a_machine_went_round_in_a_ring() -> None:
    rows = (
        row("mm", "machine", name="Mood"),
        row("aa", "state", "mm", name="Calm"),
        row("t1", "when", "aa", when="n < 5", to="bb", name="Stir"),
        row("bb", "state", "mm", name="Upset"),
        row("t2", "when", "bb", when="n < 7", to="aa", name="Settle"),
    )
    answer = explainer(
        project(
            *rows,
            keys=(Key(name="n", type=KeyType.NUMBER, default=0.0),),
            seconds=0.5,
        )
    ).why(2)
    text = next(line for line in answer.lines if "cut off" in line.text)
    assert text.text == (
        "Mood is in one of its states. It was cut off at this tick: Stir and Settle led it back "
        "within one tick to where it was, with its keys as "
        "they were; so it stopped there."
    )
    assert [bit.row_id for bit in text.bits if bit.row_id] == [
        "mm",
        "t1",
        "t2",
    ]


def test_why_tells_what_let_a_row_in() -> None:
    answer = explainer(project(*CHASE, seconds=1.0)).why(7)
    assert [line.text for line in answer.lines] == [
        "Watch tries its children in order.",
        "Chase was entered 0.20 s ago: the time was 0.5 s, above 0.45 s.",
        "Run has been running for 0.20 s.",
    ]


def test_every_row_a_sentence_speaks_of_is_a_link() -> None:
    answer = explainer(project(*CHASE, seconds=1.0)).why_not(7, "r2")
    links = [
        bit.row_id for line in answer.lines for bit in line.bits if bit.row_id
    ]
    assert links == ["r2", "r1", "r1"]


def test_why_not_names_the_first_thing_in_the_way() -> None:
    text = explainer(project(*CHASE, seconds=1.0)).why_not(3, "r11")
    assert text.headline is not None
    assert text.headline.text == (
        "Run runs only while Chase does: Chase was refused: the time is 0.3 s, not above 0.45 s."
    )
    assert [line.text for line in text.lines] == [
        "Chase was refused: the time is 0.3 s, not above 0.45 s.",
        "Run has not run before in this take.",
    ]


def test_why_not_of_a_later_sibling_says_what_it_waits_for_and_when_it_last_ran() -> (
    None
):
    text = explainer(project(*CHASE, seconds=1.0)).why_not(7, "r2")
    assert [line.text for line in text.lines] == [
        "Stroll comes after Chase, and is tried only when that fails. Chase is running. "
        "It last ran from 0.00 to 0.50 s and was stopped.",
    ]


def test_why_not_of_a_running_row_says_that_it_runs() -> None:
    text = explainer(project(*CHASE, seconds=1.0)).why_not(7, "r11")
    assert [line.text for line in text.lines] == [
        "Run has been running for 0.20 s."
    ]


def test_a_row_that_is_not_asked_again_says_since_when_and_why() -> None:
    made = project(
        row("top", "selector", name="Top"),
        row(
            "r1", "last", "top", name="Early", guard="clock() > 0.25", ticks=9
        ),
        row("r2", "last", "top", name="Late", ticks=9),
        seconds=0.8,
    )
    text = explainer(made).why_not(5, "r1").lines[0].text
    assert text == (
        "Early was refused: the time was 0 s, not above 0.25 s. That was 0.50 s ago; "
        "it has not been asked since. "
        "While Late runs it is not asked again: it has no guard that watches for a take-over. "
        "It has not run before in this take."
    )


def test_a_later_child_of_a_sequence_waits_for_the_earlier_one() -> None:
    made = project(
        row("top", "sequence", name="Top"),
        row("r1", "last", "top", name="First", ticks=9),
        row("r2", "last", "top"),
    )
    text = explainer(made).why_not(3, "r2").lines[0].text
    assert text == (
        "r2 comes after First, and is tried only when that has succeeded. First is running. "
        "It has not run before in this take."
    )


def test_an_earlier_child_that_succeeded_says_only_that() -> None:
    made = project(
        row("top", "sequence", name="Top"),
        row("r1", "last", "top", name="First"),
        row("r2", "last", "top", ticks=9),
    )
    assert (
        explainer(made).why_not(4, "r1").lines[0].text
        == "First succeeded 0.30 s ago."
    )


def test_a_row_that_failed_with_its_guard_still_yes_says_what_it_waits_for() -> (
    None
):
    made = project(
        row("top", "selector", name="Top"),
        row(
            "r1",
            "last",
            "top",
            name="Early",
            guard=("clock() >= 0", Watch.TAKE_OVER),
            ticks=0,
            success=False,
        ),
        row("r2", "last", "top", name="Late", ticks=9),
    )
    assert explainer(made).why_not(4, "r1").lines[0].text == (
        "Early failed 0.40 s ago. While Late runs its guard is asked at each tick; "
        "it has said yes all along, and must turn to yes to take over."
    )


def test_a_muted_row_says_that_it_is_muted() -> None:
    made = project(
        row("top", "selector"),
        row("r1", "last", "top", name="Quiet", muted=True),
        row("r2", "last", "top", ticks=9),
    )
    text = explainer(made)
    assert text.why_not(3, "r1").lines[0].text.startswith("Quiet is muted")
    assert "Quiet is muted" in text.why(3).text


def test_a_cooling_row_says_since_when_and_how_long() -> None:
    made = project(
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            name="Warn",
            ticks=0,
            decorators=[("cooldown", {"duration": 3.0})],
        ),
        row("r2", "last", "top", ticks=0),
    )
    text = explainer(made).why_not(10, "r1").lines[0].text
    assert text == (
        "Warn was refused: it cools: it ended 1.00 s ago, and may start again in 2.00 s. "
        "It last ran at 0.00 s and ended with success."
    )


def test_who_wrote_the_key_that_decided_is_named() -> None:
    made = project(
        row("top", "selector", name="Top"),
        row(
            "r1",
            "last",
            "top",
            name="Act",
            guard=("flag", Watch.TAKE_OVER),
            ticks=50,
        ),
        row("r2", "sequence", "top", name="Think"),
        row("r21", "last", "r2", ticks=3),
        row("r22", "set_yes_no", "r2", name="Decide", key=key("flag")),
        row("r23", "last", "r2", ticks=50),
        keys=(Key(name="flag", type=KeyType.YES_NO, default=False),),
        seconds=1.0,
    )
    text = explainer(made).why(8)
    assert text.lines[-1].text == "Act has been running for 0.40 s."
    change = explainer(made).change(decision_changes(played(made), "a")[1])
    assert (
        change.text == "Act: flag is yes; flag became yes 0.10 s ago by 1.2.2"
    )


def test_an_answer_begins_with_a_capital_and_says_what_was_at_this_very_tick() -> (
    None
):
    made = project(
        row("top", "sequence", name="Top"),
        row("r1", "set_yes_no", "top", name="Decide", key=key("flag")),
        row("r2", "selector", "top", name="Or"),
        row("r21", "last", "r2", name="Not", guard="not flag", ticks=50),
        row("r22", "last", "r2", name="Act", ticks=50),
        keys=(Key(name="flag", type=KeyType.YES_NO, default=False),),
        cast=(
            Member(name="z", title="the guard", behavior="b", start=(5, 5)),
        ),
        seconds=1.0,
    )
    report = Explainer(played(made), "z", CATALOG)
    assert report.why(4).headline.text.startswith("The guard is at Act, ")
    refused = report.why_not(0, "r21").lines[0].text
    assert "flag became yes at this tick by 1.1" in refused, refused
    assert (
        "flag became yes 0.40 s ago by 1.1"
        in report.why_not(4, "r21").lines[0].text
    )


def test_a_check_that_failed_tells_both_sides() -> None:
    made = project(
        row("top", "selector"),
        row("r1", "check", "top", name="Enough?", when="n > 3"),
        row("r2", "last", "top", ticks=9),
        keys=(Key(name="n", type=KeyType.NUMBER, default=1.0),),
    )
    assert (
        "Enough? failed at this tick: n is 1, not above 3."
        in explainer(made).why(0).text
    )


def test_a_failed_sequence_tells_what_its_child_says() -> None:
    made = project(
        row("top", "selector"),
        row("r1", "sequence", "top", name="Tend"),
        row(
            "r11",
            "check",
            "r1",
            name="All bright?",
            when="n > 3",
            decorators=[("invert", {})],
        ),
        row("r2", "sequence", "top", name="Sweep"),
        row("r21", "last", "r2", name="Brush", guard="n < 2"),
        row("r3", "last", "top", ticks=9),
        keys=(Key(name="n", type=KeyType.NUMBER, default=4.0),),
    )
    text = explainer(made).why(0)
    assert text.lines[1].text == (
        "Tend failed at this tick: All bright?, inverted, says no: n is 4, above 3."
    )
    assert (
        text.lines[2].text
        == "Sweep failed at this tick: Brush was refused: n is 4, not below 2."
    )


def test_an_unknown_comparison_says_what_is_not_set() -> None:
    made = project(
        row("top", "wait", name="Hold", guard="n > 3"),
        keys=(Key(name="n", type=KeyType.NUMBER),),
        seconds=0.2,
    )
    text = explainer(made).why(0)
    assert (
        text.lines[0].text
        == "Hold was refused: n > 3 cannot be said — n is not set."
    )


def test_a_puppet_and_an_empty_behavior_say_that_they_decide_nothing() -> None:
    made = project(
        cast=(
            Member(
                name="v",
                title="the visitor",
                start=(5, 5),
                walk=(WalkPoint(at_s=1, to=(6, 6)),),
            ),
        )
    )
    take = played(made)
    assert "puppet" in Explainer(take, "v").why(0).text
    assert "no rows" in Explainer(take, "a").why(0).text


def test_the_same_row_ending_and_beginning_again_is_no_change_of_mind() -> (
    None
):
    take = played(
        project(
            row("top", "selector"),
            row("r1", "last", "top", ticks=2),
            seconds=2,
        )
    )
    assert len(leading_spans(take, "a")) == 1


def test_now_tells_what_is_left_or_what_refused(demo_take: Take) -> None:
    text = Explainer(demo_take, "odo")
    assert now_value(text, "walk", 60).endswith(" m")
    assert now_value(text, "esc", 60) == "18.8 m"
    assert now_value(text, "tend", 60) == ""


def test_now_tells_what_a_transition_waits_for_only_while_it_waits() -> None:
    made = project(
        row("mm", "machine"),
        row("s1", "state", "mm"),
        row("t1", "when", "s1", to="s2", when="clock() > 9"),
        row("t2", "after", "s1", to="s2", time=0.5),
        row("s2", "state", "mm"),
        seconds=1.0,
    )
    text = explainer(made)
    assert [now_value(text, "t1", tick) for tick in (2, 4, 6, 8)] == [
        "0.2 s",
        "0.4 s",
        "",
        "",
    ]
    # Ten ticks a second: it is due at 0.5 s, and then it fires.
    assert [now_value(text, "t2", tick) for tick in (0, 2, 4, 6)] == [
        "0.5 s",
        "0.3 s",
        "0.1 s",
        "",
    ]


def test_the_demo_tells_its_story(demo_take: Take) -> None:
    odo = Explainer(demo_take, "odo")
    story = [
        (lead.row_id, odo.change(lead).text)
        for lead in decision_changes(demo_take, "odo")
    ]
    assert [row_id for row_id, _ in story] == [
        "tend",
        "easy",
        "tend",
        "chk",
        "esc",
        "chk",
        "tend",
        "esc",
        "chk",
        "esc",
        "chk",
    ]
    assert "Tend the lamps failed: All bright?" in story[1][1], (
        "what failed at once is not left out"
    )
    lost = story[5][1]
    assert "can see visitor within 8 m is no — the crates in between" in lost
    gave_up = story[10][1]
    assert re.search(r"8\.\d+ m away, beyond 8 m", gave_up)


@pytest.mark.parametrize("tick", range(0, 840, 37))
def test_every_row_has_an_answer_at_every_tick(
    demo_take: Take, tick: int
) -> None:
    text = Explainer(demo_take, "odo")
    assert text.why(tick).lines
    for row_id in text.outline.number:
        lines = text.why_not(tick, row_id).lines
        assert all(
            line.text.strip() and not line.text.endswith(" .")
            for line in lines
        )


def answer_lines(
    rows: tuple[Row, ...], tick: int, row_id: str | None = None, **more: object
) -> list[str]:
    """The sentences of why at a tick, or of why not a row."""
    report = explainer(project(*rows, seconds=1.0, **more))
    answer = report.why_not(tick, row_id) if row_id else report.why(tick)
    return [line.text for line in answer.lines]


SIDE_BY_SIDE = (
    row("top", "parallel", name="Both", successes=0.0),
    row("r1", "last", "top", name="Short", ticks=2),
    row("r2", "last", "top", name="Long", ticks=50),
    row("r3", "selector", "top", name="Pick"),
    row("r31", "last", "r3", name="Third", ticks=50),
)


def test_why_tells_of_all_that_run_side_by_side() -> None:
    assert answer_lines(SIDE_BY_SIDE, 4) == [
        "Both runs its children side by side.",
        "Short succeeded 0.20 s ago. It waits for the others.",
        "Pick runs beside Long, at Third.",
        "Long has been running for 0.40 s.",
    ]
    assert (
        answer_lines(SIDE_BY_SIDE, 4, "r1")[0]
        == "Short succeeded 0.20 s ago. It waits for the others."
    )


def test_why_follows_the_row_that_leads_and_tells_of_those_that_accompany_it() -> (
    None
):
    rows = (
        row("top", "accompany", name="Carry", others="again and again"),
        row("r1", "last", "top", name="Walk", ticks=50),
        row("r2", "last", "top", name="Grumble", ticks=2),
        row("r3", "last", "top", name="Hum", guard="clock() > 5"),
    )
    assert answer_lines(rows, 4) == [
        "Carry runs its first child, and the others beside it.",
        "Grumble runs beside Walk.",
        "Hum was refused: the time is 0.4 s, not above 5 s.",
        "Walk has been running for 0.40 s.",
    ]
    once = (rows[0].model_copy(update={"args": {"others": "once"}}), *rows[1:])
    assert (
        answer_lines(once, 4, "r2")[0]
        == "Grumble succeeded 0.20 s ago. It is not begun again."
    )


def test_why_not_of_a_row_whose_turn_is_drawn() -> None:
    rows = (
        row("top", "random_selector", name="Any"),
        row("r1", "last", "top", name="A", ticks=1, success=False),
        row("r2", "last", "top", name="B", ticks=50),
        row("r3", "last", "top", name="C", ticks=50),
    )
    assert answer_lines(rows, 4, seed=4) == [
        "Any tries its children in an order that it draws anew each time it is entered.",
        "A failed 0.30 s ago.",
        "C has been running for 0.30 s.",
    ]
    assert (
        answer_lines(rows, 4, "r1", seed=4)[0]
        == "A failed 0.30 s ago. It is drawn again when Any begins anew."
    )
    not_drawn = (
        "B has not been drawn: C was, and the next is drawn only when that fails. "
        "It has not run before in this take."
    )
    assert answer_lines(rows, 4, "r2", seed=4)[0] == not_drawn


def test_why_tells_of_the_other_regions_of_a_machine() -> None:
    rows = (
        row("mm", "machine", name="Body"),
        row("gg", "regions", "mm", name="Parts"),
        row("s1", "state", "gg", name="Mood"),
        row("s11", "state", "s1", name="calm"),
        row("s2", "state", "gg", name="Legs"),
        row("s21", "state", "s2", name="stand"),
        row("x2", "last", "s21", name="Stretch", ticks=50),
    )
    lines = answer_lines(rows, 4)
    assert "Legs is active beside Mood, in stand, at Stretch." in lines
    assert lines[-1].startswith("calm was entered 0.40 s ago")
    assert answer_lines(rows, 4, "s21") == [
        "stand has been active for 0.40 s."
    ]


def test_why_not_of_an_option_tells_of_the_threshold_and_of_one_that_is_over() -> (
    None
):
    rows = (
        row("uu", "utility", name="U", threshold=0.5),
        row("oo", "option", "uu", name="O"),
        row("cc", "consider", "oo", name="time", input="clock()", high=1.0),
        row("xx", "last", "oo", ticks=1),
    )
    assert answer_lines(rows, 3, "oo")[0] == (
        "O scored 0.30, not more than the threshold of 0.50. It would win with time at 0.51 "
        "(it is 0.30). It has not run before in this take."
    )
    assert (
        answer_lines(rows, 7, "oo")[0]
        == "O succeeded at this tick. It scored 0.70."
    )


def test_why_not_of_an_option_says_where_no_single_change_would_do() -> None:
    rows = (
        row("uu", "utility", name="U"),
        row("aa", "option", "uu", name="A"),
        row("a1", "consider", "aa", name="always", input="1", high=1.0),
        row("bb", "option", "uu", name="B", weight=0.5),
        row("b1", "consider", "bb", name="time", input="clock()", high=1.0),
        row("dd", "option", "uu", name="D", weight=1.5),
        row("d1", "consider", "dd", name="time", input="clock()", high=1.0),
        row("d2", "consider", "dd", name="again", input="clock()", high=1.0),
    )
    assert (
        " It scores 0.50 at most, whatever its inputs are: it would need more weight. "
        in answer_lines(rows, 1, "bb")[0]
    )
    assert (
        " It would win with time at 0.74 (it is 0.10)."
        in answer_lines(rows, 1, "dd")[0]
    ), "both of its considerations ask the same, so both change"


def test_who_is_not_on_the_stage_yet_says_which_cue_brings_it_on() -> None:
    late = Member(
        name="z", title="Zoe", behavior="b", start=(5.0, 5.0), waits=True
    )
    cues = (Cue(at_s=0.5, does=MoveTo(moves="z", to=(6.0, 5.0))),)
    take = played(
        project(
            row("ww", "last", ticks=50), cast=(late,), cues=cues, seconds=1.0
        )
    )
    zoe = Explainer(take, "z", CATALOG)
    text = "Zoe is not on the stage: cue 1 puts it there at 0.50 s."
    assert [line.text for line in zoe.why(2).lines] == [text]
    assert [line.text for line in zoe.why_not(2, "ww").lines] == [text]
    assert not zoe.might_run("ww", 2), "nothing could have made it run there"
    assert zoe.might_run("ww", 8)
    assert zoe.why(8).lines[-1].text.startswith("ww has been running")


def test_who_has_left_the_stage_says_since_when_and_because_of_what() -> None:
    # A cue that is about it as well neither takes it away nor puts it there.
    cues = (
        Cue(at_s=0.3, does=SetKey(sets="n", of="z", value=1.0)),
        Cue(at_s=0.3, does=TakeAway(removes="z")),
        Cue(at_s=0.5, does=SetKey(sets="n", of="z", value=2.0)),
        Cue(at_s=0.6, does=MoveTo(moves="z", to=(6.0, 5.0))),
    )
    cast = (
        Member(name="z", behavior="b", start=(5.0, 5.0)),
        Member(name="y", behavior="b", start=(1.0, 1.0), copies=2, every_s=1),
    )
    take = played(
        project(
            row("ww", "sequence"),
            row("w1", "last", "ww", name="Pack", ticks=8),
            row("w2", "leave_stage", "ww", name="Go home"),
            cast=cast,
            cues=cues,
            keys=(Key(name="n", type=KeyType.NUMBER),),
            seconds=2.0,
        )
    )
    zoe = Explainer(take, "z", CATALOG)
    assert [line.text for line in zoe.why(4).lines] == [
        "z has not been on the stage since 0.30 s: cue 2 took it away; cue 4 "
        "puts it there at 0.60 s."
    ]
    (left,) = zoe.why(17).lines
    assert left.text == (
        "z has not been on the stage since 1.50 s: it was at Go home then."
    )
    copy = Explainer(take, "y_2", CATALOG)
    assert [line.text for line in copy.why(4).lines] == [
        "Y 2 is not on the stage: as one of the copies that come by and by, "
        "it is there at 1.00 s."
    ]


def test_sides_that_differ_are_shown_in_digits_that_differ() -> None:
    assert distinct(3.998, 4.0, "m") == ("3.998 m", "4 m")
    assert distinct(0.34987, 0.35, "") == ("0.3499", "0.35")
    assert distinct(0.2, 1 - 0.8, "") == ("0.2", "0.19999999999999996")
    assert distinct(0.7123, 0.5, "") == ("0.71", "0.5")
    assert distinct(4.0, 4.0, "") == ("4", "4")
    assert distinct(True, False, "") == ("yes", "no")


def test_a_chance_that_comes_from_a_key_names_the_key() -> None:
    bold = Key(name="bold", type=KeyType.NUMBER, default=0.0)
    rows = (
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            name="Jump",
            decorators=[("chance", {"share": key("bold")})],
        ),
        row("r2", "last", "top", ticks=50),
    )
    text = (
        explainer(project(*rows, keys=(bold,), seconds=1.0))
        .why_not(0, "r1")
        .lines[0]
        .text
    )
    assert re.fullmatch(
        r"Jump was refused: the roll was [\d.]+, not under 0, which is bold\. It has not .*",
        text,
    )


def test_a_noise_beyond_the_range_that_is_asked_for_is_too_far_rather_than_too_quiet() -> (
    None
):
    made = project(
        row(
            "ears",
            "last",
            name="Hear",
            ticks=50,
            guard='heard("speech", within=3)',
        ),
        cast=(Member(name="z", behavior="talk", start=(12.0, 5.0)),),
        seconds=1.0,
    )
    talk = made.behaviors[0].with_rows(
        [row("call", "say", text="Hey", duration=1.0)]
    )
    others = (*made.behaviors, talk.model_copy(update={"name": "talk"}))
    text = explainer(made.model_copy(update={"behaviors": others})).why(3).text
    assert "10 m away, beyond 3 m" in text, text


STUCK = (
    row("mm", "machine", name="Plan"),
    row("s1", "state", "mm", name="Look"),
    row("xx", "last", "s1", name="Anywhere", ticks=0, guard="n > 3"),
    row("t1", "on_done", "s1", name="Found", to="s2", result="success"),
    row("s2", "state", "mm", name="Go"),
)


def test_a_machine_that_is_stuck_says_how_its_state_ended_and_what_the_transition_wants() -> (
    None
):
    keys = (Key(name="n", type=KeyType.NUMBER, default=1.0),)
    lines = answer_lines(STUCK, 5, keys=keys)
    assert (
        "Look was entered 0.50 s ago. It was done with failure at 0.00 s (Anywhere was refused: "
        "n was 1, not above 3), and stays active."
    ) in lines
    assert (
        "Found leads to Go: its state was done at 0.00 s, but it wants success."
        in lines
    )
    without = (*STUCK[:3], STUCK[4])
    assert any(
        line.endswith("and stays active: nothing leads out of it.")
        for line in answer_lines(without, 5, keys=keys)
    )


def test_an_answer_begins_with_one_sentence_that_answers() -> None:
    answer = explainer(project(*CHASE, seconds=1.0)).why(7)
    assert answer.headline is not None
    assert answer.headline.text == (
        "a is at Run, in Chase, since 0.50 s, because the time was 0.5 s, above 0.45 s."
    )
    assert answer.text.startswith(answer.headline.text)


def test_what_does_not_run_by_itself_says_what_it_is_for() -> None:
    rows = (
        row("uu", "utility", name="U"),
        row("oo", "option", "uu", name="O"),
        row("cc", "consider", "oo", name="time", input="clock()", high=1.0),
        row("xx", "last", "oo", ticks=99),
    )
    assert answer_lines(rows, 5, "cc")[0] == (
        "time is considered when O is scored: its input was 0.50 last, worth 0.50."
    )
    rows = (
        row("mm", "machine"),
        row("s1", "state", "mm", name="One"),
        row("hh", "on_enter", "s1", name="Greet"),
        row("t1", "when", "s1", name="Go", to="s2", when="clock() > 0.15"),
        row("s2", "state", "mm", name="Two"),
        row("t2", "when", "s2", name="Back", to="s1", when="clock() > 9"),
    )
    assert answer_lines(rows, 1, "hh")[0] == (
        "Greet is done only as One is entered. It last ran at 0.00 s and ended with success."
    )
    assert answer_lines(rows, 5, "t1") == [
        "One is not active: Two is.",
        "Back leads to One: the time is 0.5 s, not above 9 s.",
        "Go last fired at 0.20 s.",
    ]
    assert answer_lines(rows, 5, "t2")[-1].endswith(
        "s. It has not fired before in this take."
    )


def test_what_could_not_be_said_at_an_earlier_moment_is_said_so() -> None:
    rows = (
        row("top", "selector"),
        row("r1", "last", "top", name="Hold", guard="n > 3"),
        row("r2", "last", "top", name="Idle", ticks=50),
    )
    lines = answer_lines(
        rows, 5, "r1", keys=(Key(name="n", type=KeyType.NUMBER),)
    )
    assert lines[0].startswith(
        "Hold was refused: n > 3 could not be said — n is not set. That was"
    )


def test_of_several_transitions_within_a_tick_the_last_brought_the_state_about() -> (
    None
):
    rows = (
        row("mm", "machine"),
        row("s1", "state", "mm", name="One"),
        row("t1", "when", "s1", name="First", to="s2", when="clock() > 0.15"),
        row("s2", "state", "mm", name="Two"),
        row("t2", "when", "s2", name="Second", to="s3", when="clock() > 0.15"),
        row("s3", "state", "mm", name="Three"),
        row("ww", "last", "s3", ticks=99),
    )
    lines = answer_lines(rows, 4)
    assert any(
        line.startswith("Three was entered 0.20 s ago by Second")
        for line in lines
    )
    report = explainer(project(*rows, seconds=1.0))
    assert entered_by(report, "s3", 4) == "t2"
    assert entered_by(report, "s2", 4) == "t1"
    assert entered_by(report, "s1", 4) is None, "the machine began in it"


def test_what_wrote_a_key_says_what_it_found() -> None:
    keys = (
        Key(name="who", type=KeyType.AGENT, default="z"),
        Key(name="seen", type=KeyType.YES_NO, default=True),
        Key(name="at", type=KeyType.POINT),
    )
    wall = Area(name="rock", corners=((5, 2), (6, 2), (6, 8), (5, 8)))
    look = {"target": key("who"), "seen": key("seen"), "where": key("at")}
    rows = (
        row("top", "selector", upkeep=[("look_out", 0.2, look)]),
        row("r1", "last", "top", name="Hail", guard="seen", ticks=50),
        row("r2", "last", "top", name="Idle", ticks=50),
    )
    made = project(
        *rows,
        keys=keys,
        areas=(wall,),
        cast=(Member(name="z", start=(9.0, 5.0)),),
    )
    text = explainer(made).why_not(4, "r1").lines[0].text
    assert "by 1 upkeep, which found rock in between, 7 m away" in text, text
    steps = [step.line.text for step in explainer(made).ticks.steps(0)]
    assert (
        "top: its upkeep sets seen to no: rock in between, 7 m away." in steps
    )


def test_a_bound_key_is_followed_to_the_one_that_it_stands_for() -> None:
    """The user has a key of the same name, which is another one, and which is
    written as well.
    """
    outer = (Key(name="n", type=KeyType.NUMBER, default=0.0),)
    outer += (Key(name="held", type=KeyType.NUMBER, default=0.0),)
    inner = Blackboard(name="ki", title="KI", keys=outer[:1])
    made = project(
        row("top", "sequence"),
        row("r1", "set_number", "top", value=1.0, key=key("held")),
        row("r2", "last", "top", ticks=2),
        row("r3", "set_number", "top", value=7.0, key=key("n")),
        row(
            "us",
            "use_behavior",
            "top",
            behavior="inner",
            binds={"n": key("held")},
        ),
        row("r4", "last", "top", ticks=50),
        keys=outer,
        blackboards=(inner,),
        seconds=1.0,
    )
    rows = [
        row("top", "selector"),
        row("gg", "last", "top", name="Go", guard="n > 3"),
    ]
    used = made.behaviors[0].with_rows(
        [*rows, row("ww", "last", "top", ticks=50)]
    )
    used = used.model_copy(update={"name": "inner", "blackboard": "ki"})
    made = made.model_copy(update={"behaviors": (*made.behaviors, used)})
    report = explainer(made)
    (go,) = [each.id for each in report.behavior.rows if each.name == "Go"]
    text = report.why_not(4, go).lines[0].text
    assert "n was 1, not above 3; n became 1 0.40 s ago by 1.1" in text, text


def test_a_change_of_mind_names_the_check_that_ended_a_repeat() -> None:
    until = [("repeat_until", {"result": "success"})]
    for check, said in (
        (
            [row("c1", "check", "r1", when="clock() > 0.25")],
            "the time was 0.3 s, above 0.25 s",
        ),
        (
            [
                row("s1", "sequence", "r1"),
                row("c1", "check", "s1", when="clock() > 0.25"),
            ],
            "the time was 0.3 s, above 0.25 s",
        ),
    ):
        made = project(
            row("top", "sequence"),
            row("ss", "selector", "top"),
            row("r1", "selector", "ss", name="Watch", decorators=until),
            *check,
            row("r2", "last", "ss", name="Late", ticks=1),
            row("r3", "last", "top", name="Then", ticks=9),
            seconds=0.8,
        )
        assert said in explainer(made).why(5).text


def test_a_repeat_until_failure_names_the_check_that_failed() -> None:
    until = [("repeat_until", {"result": "failure"})]
    made = project(
        row("top", "sequence"),
        row(
            "r1",
            "check",
            "top",
            name="Dark",
            when="clock() < 0.25",
            decorators=until,
        ),
        row("r2", "last", "top", name="Then", ticks=9),
        seconds=0.8,
    )
    headline = explainer(made).why(5).headline
    assert headline is not None
    assert headline.text == (
        "a is at Then, since 0.30 s, because Dark was done: the time was 0.3 s, not below 0.25 s; "
        "last yes 0.30 s ago."
    )


def test_where_all_comes_to_an_end_the_answer_begins_with_what_led_to_it() -> (
    None
):
    """Not with the row that ended first in the tick, nor with one that was
    stopped.
    """
    in_order = project(
        row("top", "sequence"),
        row("r1", "last", "top", name="First", ticks=3),
        row("r2", "check", "top", name="Dark", when="clock() > 9"),
        seconds=0.8,
    )
    side_by_side = project(
        row("top", "parallel", successes=1),
        row("r1", "last", "top", name="Long", ticks=9),
        row("r2", "last", "top", name="Short", ticks=3),
        row("r3", "last", "top", name="Longer", ticks=9),
        seconds=0.8,
    )
    for made, begins in (
        (
            in_order,
            "a was at Dark, which failed at this tick: the time is 0.3 s, not "
            "above 9 s.",
        ),
        (side_by_side, "a was at Short, which succeeded at this tick."),
    ):
        explained = explainer(made)
        ends = explained.record.row("top").spans[0].end
        assert ends is not None
        headline = explained.why(ends).headline
        assert headline is not None
        assert headline.text.startswith(begins)


def rounds(enough: int, *before: Row) -> Project:
    """A round that is done with a rest once there have been enough."""
    return project(
        row("top", "selector", name="Day"),
        *before,
        row("r1", "sequence", "top", name="Round"),
        row("r11", "last", "r1", name="Walk", ticks=3),
        row("r12", "count", "r1", name="One more", key=key("n"), amount=1.0),
        row("r13", "last", "r1", name="Rest", ticks=2, guard=f"n > {enough}"),
        keys=(Key(name="n", type=KeyType.NUMBER, default=0.0),),
        seconds=2.0,
    )


def test_what_fails_and_begins_anew_says_so_and_why() -> None:
    """Its child that was refused is the cause, though another one ended last;
    and what it does now it does since it began anew.
    """
    explains = explainer(rounds(2))
    refused = "Rest was refused: n {} 1, not above 2; n became 1 {} by 1.1.2"
    ends = explains.why(3)
    assert ends.headline is not None
    assert ends.headline.text == (
        "a was at Round, which failed at this tick: "
        f"{refused.format('is', 'at this tick')}."
    )
    assert [line.text for line in ends.lines][:2] == [
        "Day tries its children in order. It failed at this tick: none of its "
        "children could be done.",
        f"Round failed at this tick: {refused.format('is', 'at this tick')}.",
    ]
    again = explains.why(6).headline
    assert again is not None
    assert again.text == (
        "a is at Walk, since 0.40 s, because Round began anew after it had "
        f"failed: {refused.format('was', '0.30 s ago')}."
    )
    assert {each.kind for each in again.claims} >= {
        ClaimKind.RUNS,
        ClaimKind.ENDED,
        ClaimKind.REFUSED,
    }


def test_what_leads_all_the_time_is_done_since_it_began_anew() -> None:
    never = row("r0", "last", "top", name="Never", guard="n > 9")
    explains = explainer(rounds(1, never))
    for tick, says in (
        (
            2,
            "a is at Walk, in Round, since 0.00 s, because Never was "
            "refused: n was 0, not above 9; 1.2.2, which writes n, had not run "
            "before.",
        ),
        (
            6,
            "a is at Walk, in Round, since 0.40 s again, after Round failed: "
            "Rest was refused: n was 1, not above 1; n became 1 0.30 s ago by "
            "1.2.2; Round has led since 0.00 s.",
        ),
        (
            12,
            "a is at Walk, in Round, since 1.00 s again, after Round was "
            "done, and Never was refused: n was 2, not above 9; n became 2 0.50 "
            "s ago by 1.2.2; Round has led since 0.00 s.",
        ),
    ):
        headline = explains.why(tick).headline
        assert headline is not None
        assert headline.text == says
        assert ClaimKind.RUNS in {each.kind for each in headline.claims}


def test_a_state_that_is_entered_again_says_by_what() -> None:
    made = project(
        row("mm", "machine", name="Mood"),
        row("aa", "state", "mm", name="Calm"),
        row("ll", "last", "aa", name="Hum", ticks=20),
        row("tt", "after", "aa", name="Anew", time=0.3, to="aa"),
        row("bb", "state", "mm", name="Never"),
        seconds=1.0,
    )
    headline = explainer(made).why(5).headline
    assert headline is not None
    assert headline.text == (
        "a is at Hum, in Calm, since 0.30 s again, because Anew fired after "
        "0.30 s."
    )


def test_a_copy_is_followed_to_who_wrote_what_was_copied() -> None:
    keys = (
        Key(name="n", type=KeyType.NUMBER, default=0.0),
        Key(name="m", type=KeyType.NUMBER, default=0.0),
    )
    made = project(
        row("top", "sequence"),
        row("r1", "set_number", "top", key=key("n"), value=3.0),
        row("r2", "last", "top", ticks=2),
        row("r3", "copy", "top", source=key("n"), key=key("m")),
        row("r4", "selector", "top"),
        row("r5", "last", "r4", name="Go", guard="m > 5", ticks=9),
        row("r6", "last", "r4", name="Stay", ticks=9),
        keys=keys,
        seconds=0.8,
    )
    assert (
        "m was 3, not above 5; m became 3 0.20 s ago by 1.3, from n; n became 3 0.40 s ago by 1.1"
        in explainer(made).why_not(4, "r5").text
    )


def test_who_was_picked_says_by_what() -> None:
    thing = Key(name="thing", type=KeyType.PROP)
    made = project(
        row("top", "sequence"),
        row("r1", "pick", "top", group="lamps", key=key("thing")),
        row("r2", "selector", "top"),
        row("r3", "last", "r2", guard="not is_set(thing)", ticks=9),
        row("r4", "last", "r2", name="Stay", ticks=9),
        keys=(thing,),
        props=(
            Prop(name="near", at=(4, 5), group="lamps"),
            Prop(name="far", at=(9, 5), group="lamps"),
        ),
        seconds=0.8,
    )
    assert (
        "thing became near 0.40 s ago by 1.1: the nearest of lamps, 2 m away"
        in explainer(made).why_not(4, "r3").text
    )


def test_a_transition_on_the_end_of_another_state_names_that_state() -> None:
    rows = (
        row("mm", "machine", name="Body"),
        row("pp", "regions", "mm"),
        row("l0", "state", "pp"),
        row("l1", "state", "l0", name="Look"),
        row("lw", "last", "l1", ticks=2),
        row("r0", "state", "pp"),
        row("r1", "state", "r0", name="Idle"),
        row(
            "t1", "on_event", "r1", name="Seen", event="done.state.l1", to="r2"
        ),
        row("r2", "state", "r0", name="Act"),
    )
    text = explainer(project(*rows, seconds=0.8)).why_not(1, "r2").text
    assert "Seen leads to Act: it waits for Look to be done." in text
    take = explainer(project(*rows, seconds=0.8))
    assert "Act has been active for 0.30 s" in take.why_not(5, "r2").text
    (lead,) = [
        each
        for each in decision_changes(take.take, "a")
        if each.row_id == "r2"
    ]
    assert take.change(lead).text == "Act: Seen: Look was done"


def test_rows_of_a_damaged_take_that_blame_each_other_come_to_an_end() -> None:
    made = project(
        row("top", "selector", name="Top"),
        row("r1", "sequence", "top", name="One"),
        row("r11", "last", "r1", name="Fails", ticks=0, success=False),
        row("r2", "last", "top", name="Two", ticks=50),
        seconds=0.3,
    )
    take = played(made)
    record = take.agents["a"]
    assert (
        "One failed at this tick: Fails failed"
        in Explainer(take, "a", CATALOG).why(0).text
    )
    for blamed, other in (
        ("r1", "top"),
        ("r11", "r1"),
        ("top", "no such row"),
    ):
        for span in record.row(blamed).spans:
            span.cause = cause("child", row=other)
    report = Explainer(take, "a", CATALOG)
    for tick in range(take.ticks):
        assert report.why(tick).text
        for row_id in ("top", "r1", "r11", "r2"):
            assert report.why_not(tick, row_id).text
    for span in record.row("r1").spans:
        span.cause = cause("child", row="r1")
    assert (
        "One failed at this tick" in Explainer(take, "a", CATALOG).why(0).text
    )


def test_of_options_that_score_the_same_it_is_said_which_one_wins() -> None:
    def between(weight: float) -> Explainer:
        return explainer(
            project(
                row("ut", "utility", name="Evening"),
                row("o1", "option", "ut", name="One"),
                row("l1", "last", "o1", ticks=3),
                row("o2", "option", "ut", name="Two", weight=weight),
                row("l2", "last", "o2", ticks=3),
                seconds=1.0,
            )
        )

    same, less = between(1.0), between(0.9999)
    says = (
        "One scores 1.00; the next is Two with 1.00, and of equals the first"
    )
    assert f"{says} wins." in same.why(0).text
    for tick, words in ((0, "the first wins"), (2, "the one that runs stays")):
        line = same.why_not(tick, "o2").lines[0]
        assert line.text.startswith(
            f"Two scored 1.00; One scored 1.00, and of equals {words}."
        )
        assert ClaimKind.TIED in {each.kind for each in line.claims}
    # What is not the same never reads the same.
    assert (
        less.why_not(2, "o2")
        .lines[0]
        .text.startswith("Two scored 0.9999; One scored 1.0000.")
    )


def test_an_option_that_scored_more_and_was_refused_is_named() -> None:
    made = project(
        row("ut", "utility", name="Evening"),
        row("o1", "option", "ut", name="One", weight=0.5),
        row("l1", "last", "o1", ticks=3),
        row("o2", "option", "ut", name="Two", weight=0.4),
        row("l2", "last", "o2", ticks=3),
        row("o3", "option", "ut", name="Best", guard="clock() > 9"),
        row("l3", "last", "o3", ticks=3),
        seconds=1.0,
    )
    line = explainer(made).why(0).lines[1]
    assert line.text == (
        "One scores 0.50; the next is Two with 0.40; Best with 1.00 was "
        "refused. It was entered at this tick."
    )
    assert ClaimKind.REFUSED in {each.kind for each in line.claims}


def test_what_ran_before_it_restarts_at_each_tick_is_not_said_to_restart() -> (
    None
):
    until = [("repeat_until", {"result": "success"})]
    explains = explainer(
        project(
            row("top", "sequence", name="Top"),
            row(
                "r1",
                "check",
                "top",
                name="Calm",
                when="clock() > 0.35",
                decorators=until,
            ),
            seconds=1.0,
        )
    )
    for tick, says in (
        (2, "a is at Calm, since 0.00 s."),
        (
            4,
            "a was at Calm, which succeeded at this tick: the time is 0.4 s, "
            "above 0.35 s.",
        ),
        (
            7,
            "a was at Calm, since 0.50 s, because Calm was done: the time was "
            "0.4 s, above 0.35 s; it begins and ends anew at every tick since "
            "then.",
        ),
    ):
        headline = explains.why(tick).headline
        assert headline is not None
        assert headline.text == says


def test_an_event_that_another_transition_took_is_not_waited_for_at_its_tick() -> (
    None
):
    """The inner one comes first, be it for an event or for the end of a
    state.
    """
    rung = project(
        row("mm", "machine", name="Mood"),
        row("out", "on_event", "mm", name="Outer", event="bell", to="bb"),
        row("aa", "state", "mm", name="Calm"),
        row("x1", "state", "aa", name="Sit"),
        row("in1", "on_event", "x1", name="Inner", event="bell", to="x2"),
        row("x2", "state", "aa", name="Rise"),
        row("bb", "state", "mm", name="Panic"),
        seconds=0.8,
    ).model_copy(
        update={"event_list": EventList(events=(Event(name="bell"),))}
    )
    rings = Cue(at_s=0.3, does=RaiseEvent(raises="bell"))
    rung = rung.with_scenario(
        rung.scenarios[0].model_copy(update={"cues": (rings,)})
    )
    done = project(
        row("mm", "machine", name="Body"),
        row("pp", "regions", "mm", name="Both"),
        row("leg", "state", "pp"),
        row("l1", "state", "leg", name="Stand"),
        row("lw", "last", "l1", ticks=3),
        row("go", "on_done", "l1", name="Go", to="l2"),
        row("l2", "state", "leg", name="Walk"),
        row("hed", "state", "pp"),
        row("h1", "state", "hed", name="Look"),
        row(
            "out", "on_event", "pp", name="Off", event="done.state.l1", to="bb"
        ),
        row("bb", "final", "mm", name="End"),
        seconds=0.8,
    )
    for made, waits, came in (
        (
            rung,
            "Outer leads to Panic: it waits for the event bell.",
            "Outer leads to Panic: bell was received at this tick, but Inner "
            "came first.",
        ),
        (
            done,
            "Off leads to End: it waits for Stand to be done.",
            "Off leads to End: Stand was done at this tick, but Go came first.",
        ),
    ):
        explains = explainer(made)
        for tick, says in ((2, waits), (3, came), (4, waits)):
            assert explains.why_not(tick, "bb").lines[-1].text == says
            assert says in explains.why(tick).text


def test_what_is_no_choice_is_answered_in_a_sentence_as_well() -> None:
    """And what rests beside it rests until the row around both has ended."""
    explains = explainer(
        project(
            row("top", "accompany", name="Carry home"),
            row("r1", "last", "top", ticks=4, name="Carry"),
            row("r2", "sequence", "top", name="Grumble"),
            row("r21", "last", "r2", ticks=1, name="Sigh"),
            row("r22", "check", "r2", name="Tired", when="clock() > 9"),
            row("r3", "last", "top", ticks=1, name="Whistle"),
            seconds=0.8,
        )
    )
    headline = explains.why(2).headline
    assert headline is not None
    assert headline.text == "a is at Carry, since 0.00 s."
    assert [each.kind for each in headline.claims] == [ClaimKind.RUNS]
    both = project(
        row("top", "parallel", name="Both", failures=0.0),
        row("r1", "last", "top", ticks=2, name="Short"),
        row("r2", "last", "top", ticks=4, name="Long"),
        seconds=0.8,
    )
    rests, over = (explainer(both).why(tick).text for tick in (3, 4))
    assert "Short succeeded 0.10 s ago. It waits for the others." in rests
    assert "Short succeeded 0.20 s ago." in over
    assert "waits" not in over


def test_who_lost_to_a_drawn_winner_is_said_to_have() -> None:
    """Though it scored more."""
    explains = explainer(
        project(
            row(
                "ut", "utility", name="Pick", winner="among the best", best=2.0
            ),
            row("o1", "option", "ut", name="One", weight=0.5),
            row("l1", "last", "o1", ticks=3),
            row("o2", "option", "ut", name="Two", weight=0.4),
            row("l2", "last", "o2", ticks=3),
            seconds=3.0,
        )
    )
    runs = [
        next(
            each
            for each in ("o1", "o2")
            if explains.state_of(each, tick) is RowState.RUNNING
        )
        for tick in (2, 6, 10, 14, 18, 22, 26)
    ]
    tick = (2, 6, 10, 14, 18, 22, 26)[runs.index("o2")]
    drawn = "drawn among the best few by their scores"
    assert explains.why(tick).lines[0].text == (
        f"Pick does an option that is {drawn}."
    )
    line = explains.why_not(tick, "o1").lines[0]
    assert line.text.startswith(
        f"One scored 0.50; Two scored 0.40, and was {drawn}."
    )
    assert ClaimKind.ENTERED in {each.kind for each in line.claims}


def test_a_transition_to_a_history_leads_into_its_state() -> None:
    made = project(
        row("mm", "machine", name="Day"),
        row("rs", "state", "mm", name="Rest"),
        row("t1", "after", "rs", name="Back", time=0.5, to="hh"),
        row("wk", "state", "mm", name="Work"),
        row("w1", "state", "wk", name="Dig"),
        row("hh", "history", "wk", name="Where it was"),
        row("t2", "after", "wk", name="Enough", time=0.2, to="rs"),
        seconds=1.0,
    )
    explains = explainer(made)
    assert explains.why_not(2, "wk").lines[-1].text == (
        "Back leads to Where it was: in 0.30 s."
    )


def test_once_is_said_of_what_was_entered_once() -> None:
    made = project(
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            ticks=0,
            decorators=[("at_most", {"times": 1.0})],
        ),
        row("r2", "last", "top", ticks=9),
        seconds=0.5,
    )
    assert (
        "r1 was refused: it has been entered once, and may be no more often."
    ) in explainer(made).why_not(3, "r1").text


def test_an_option_that_has_made_room_is_not_said_to_have_been_drawn() -> None:
    made = project(
        row("ut", "utility", name="Pick", winner="among the best", best=1.0),
        row("o1", "option", "ut", name="Early"),
        row("c1", "consider", "o1", input="1 - clock()"),
        row("l1", "last", "o1", ticks=50),
        row("o2", "option", "ut", name="Late"),
        row("c2", "consider", "o2", input="clock()"),
        row("l2", "last", "o2", ticks=50),
        row("o3", "option", "ut", name="Never", weight=0.1),
        row("l3", "last", "o3", ticks=50),
        seconds=1.0,
    )
    explains = explainer(made)
    changed = explains.record.row("o2").spans[0].start
    assert explains.record.row("o1").spans[0].end == changed
    line = explains.why_not(changed, "o3").lines[0].text
    assert "; Late scored" in line
    assert "and was drawn" in line
    assert "Early" not in line


def test_an_option_whose_input_is_not_known_says_why_it_is_not() -> None:
    rows = (
        row(
            "uu",
            "utility",
            name="U",
            upkeep=[("pick", 0.1, {"group": "foes", "key": key("foe")})],
        ),
        row("oo", "option", "uu", name="Flee"),
        row("cc", "consider", "oo", name="how near", input="distance(foe)"),
        row("xx", "last", "oo", ticks=99),
        row("o2", "option", "uu", name="Rest"),
        row("c2", "consider", "o2", input="0.5"),
        row("x2", "last", "o2", ticks=99),
    )
    keys = (Key(name="foe", type=KeyType.AGENT),)
    assert answer_lines(rows, 2, "oo", keys=keys)[1] == (
        "how near is not known: foe is not set; at this tick 1 upkeep found "
        "there is nothing in the group 'foes'."
    )


def test_what_follows_a_refused_row_of_an_option_waits_for_that() -> None:
    """It had run earlier, and that is not why it does not run now."""
    rows = (
        row("uu", "utility", name="U"),
        row("oo", "option", "uu", name="Flee"),
        row("cc", "consider", "oo", input="0.5"),
        row(
            "x1",
            "last",
            "oo",
            name="Warn",
            decorators=[("cooldown", {"duration": 9})],
        ),
        row("x2", "last", "oo", name="Away", ticks=2, success=False),
    )
    assert answer_lines(rows, 6, "x2")[0].startswith(
        "Away comes after Warn, and is tried only when that has succeeded. "
        "Warn was refused: it cools"
    )


def test_what_is_delayed_anew_is_not_as_far_as_it_was_when_it_was_stopped() -> (
    None
):
    rows = (
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            name="Shout",
            ticks=3,
            guard=("between(0.35, 0.7)", Watch.THROUGHOUT),
        ),
        row(
            "r2",
            "wait",
            "top",
            name="Peer",
            duration=2.0,
            decorators=[("delay", {"delay": 0.2})],
        ),
    )
    explains = explainer(project(*rows, seconds=1.2))
    assert "Peer has been running for 0.30 s: 1.9 s to go of 2 s." in "".join(
        line.text for line in explains.why(3).lines
    )
    assert any(
        line.text.startswith("Peer has just been entered.")
        for line in explains.why(7).lines
    )


def test_a_part_of_a_condition_that_was_yes_is_not_taken_for_the_whole() -> (
    None
):
    made = project(
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            guard=("clock() < 0.25 and is_set(never)", Watch.THROUGHOUT),
            ticks=9,
        ),
        row("r2", "last", "top", ticks=9),
        keys=(Key(name="never", type=KeyType.NUMBER),),
        seconds=0.8,
    )
    said = explainer(made).why_not(5, "r1").text
    assert "not below 0.25 s; that part was last yes 0.30 s ago" in said
