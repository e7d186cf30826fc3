"""Rows that take turns: what comes after what, what is drawn, and where a
machine ends.
"""

import pytest

from tests.kinds import CATALOG
from tests.reasons.count_claims import ClaimCount, lines_of
from tests.small import played, project, row
from umbrant.model.documents import Project
from umbrant.reasons.sentences import ClaimKind
from umbrant.reasons.why import Explainer

GRAB = (
    row("top", "selector", name="Thief"),
    row("s1", "sequence", "top", name="Take"),
    row("l1", "last", "s1", name="Sneak", ticks=0),
    row("l2", "last", "s1", name="Grab", ticks=1, guard="clock() > 9"),
    row("l3", "last", "s1", name="Run off", ticks=1),
    row("l4", "last", "top", name="Loiter", ticks=50),
)


def explainer(made: Project) -> Explainer:
    return Explainer(played(made), "a", CATALOG)


def not_so(explains: Explainer, tick: int, row_id: str) -> str:
    """The first sentence of why not; all of them are checked."""
    answer = explains.why_not(tick, row_id)
    count = ClaimCount()
    count.check(explains, lines_of(answer))
    assert not count.false
    return answer.lines[0].text


def test_a_row_comes_after_the_one_before_it_that_was_refused() -> None:
    explains = explainer(project(*GRAB, seconds=0.5))
    assert not_so(explains, 0, "l3") == (
        "Run off comes after Grab, and is tried only when that has succeeded. "
        "Grab was refused: the time is 0 s, not above 9 s. "
        "It has not run before in this take."
    )


def test_the_transitions_of_a_state_come_in_no_order_with_its_rows() -> None:
    explains = explainer(
        project(
            row("mm", "machine"),
            row("s1", "state", "mm", name="Lurk"),
            row("t1", "after", "s1", name="Enough", time=0.3, to="s2"),
            row("l1", "last", "s1", name="Peer", ticks=9, guard="clock() > 9"),
            row("s2", "state", "mm", name="Leave"),
            seconds=0.6,
        )
    )
    assert not_so(explains, 3, "l1").startswith(
        "Peer was refused: the time was 0 s, not above 9 s."
    )


ROUNDS = (
    row(
        "top",
        "random_selector",
        name="Odd jobs",
        decorators=[("repeat", {"times": 50})],
    ),
    row("l1", "last", "top", name="Sweep", ticks=2),
    row("l2", "last", "top", name="Mend", ticks=2),
    row("l3", "last", "top", name="Nap", ticks=2, guard="clock() > 9"),
)


def test_what_was_drawn_in_an_earlier_round_is_not_in_the_way() -> None:
    explains = explainer(project(*ROUNDS, seconds=3.0))
    record = explains.record
    drawn, passed = 0, 0
    for tick in range(explains.take.ticks):
        runs = [
            each for each in ("l1", "l2") if record.row(each).span_at(tick)
        ]
        refused = record.row("l3").last_refusal(tick)
        for each, other in (("l1", "l2"), ("l2", "l1")):
            if runs == [other] and record.row(other).span_at(tick).end != tick:
                said = not_so(explains, tick, each)
                assert "has not been drawn" in said, (tick, said)
                drawn += 1
        span = record.row(runs[0]).span_at(tick) if runs else None
        if span is not None and span.end != tick and refused is not None:
            said = not_so(explains, tick, "l3")
            in_this = refused.start <= span.start <= refused.end
            assert ("was refused" in said) is in_this, (tick, said)
            if in_this and refused.end < tick:
                assert "It is drawn again when Odd jobs begins anew." in said
            passed += 1
    assert drawn > 10
    assert passed > 5


def test_a_row_that_was_drawn_says_so() -> None:
    explains = explainer(project(*ROUNDS, seconds=2.0))
    said = [
        headline.text
        for tick in range(explains.take.ticks)
        if (headline := explains.why(tick).headline) is not None
    ]
    assert any(
        "because Sweep was done; Mend was drawn." in each for each in said
    ), said


ENDS = (
    row("mm", "machine", name="Hunt"),
    row("s1", "state", "mm", name="Lurk"),
    row("t1", "after", "s1", name="Enough", time=0.3, to="s2"),
    row("s2", "final", "mm", name="Home", result="failure"),
)


def test_a_machine_that_fails_by_its_end_says_what_led_there() -> None:
    explains = explainer(project(*ENDS, seconds=0.8))
    answer = explains.why(3)
    assert answer.headline is not None
    assert answer.headline.text == (
        "a came to Home, because Enough fired after 0.30 s, and so Hunt "
        "failed at this tick."
    )
    assert (
        "It failed at this tick: Home was reached, because Enough fired after "
        "0.30 s." in answer.text
    )
    assert ClaimKind.FIRED in {each.kind for each in answer.headline.claims}
    anew = explains.why(4).headline
    assert anew is not None
    assert "Hunt began anew after it had failed: Home was reached" in anew.text
    led_there = explains.why_not(3, "s2")
    assert "Enough leads to Home: it fires at this tick." in led_there.text


def test_an_option_that_was_refused_when_it_was_last_decided_says_so() -> None:
    explains = explainer(
        project(
            row(
                "uu",
                "utility",
                name="Day",
                winner="within a margin",
                margin=0.1,
                every=0.5,
            ),
            row("o1", "option", "uu", name="Prowl", weight=0.4),
            row("l1", "last", "o1", ticks=50),
            row("o2", "option", "uu", name="Sulk", guard="clock() > 9"),
            row("l2", "last", "o2", ticks=50),
            seconds=0.5,
        )
    )
    assert not_so(explains, 3, "o2") == (
        "Sulk was refused: the time was 0 s, not above 9 s. That was 0.30 s "
        "ago; it has not been asked since. It scored 1.00 when it was last "
        "decided; Prowl scored 0.40, and was drawn among those within the "
        "margin by their scores. It has not run before in this take."
    )
    assert "Sulk with 1.00 was refused" in explains.why(3).text


HELD = (
    row("uu", "utility", name="Day", hold=0.5),
    row("o1", "option", "uu", name="Prowl", weight=0.4),
    row("l1", "last", "o1", ticks=4),
    row("o2", "option", "uu", name="Sulk", guard="clock() > 0.15"),
    row("l2", "last", "o2", ticks=50),
    row("o3", "option", "uu", name="Nap", weight=0.6, guard="clock() > 9"),
    row("l3", "last", "o3", ticks=50),
)


@pytest.mark.parametrize("tick", [3, 4])
def test_an_option_is_compared_with_the_one_that_is_held(tick: int) -> None:
    """At the second tick the held one is done: it was held all the same."""
    explains = explainer(project(*HELD, seconds=1.0))
    says = "scored 0.40, and is held until 0.50 s."
    assert f"Sulk scored 1.00; Prowl {says}" in not_so(explains, tick, "o2")
    assert f"Nap scored 0.60; Prowl {says}" in not_so(explains, tick, "o3")


def test_an_option_that_was_refused_is_not_beaten_by_order() -> None:
    explains = explainer(
        project(
            row("uu", "utility", name="Day"),
            row("o1", "option", "uu", name="Prowl", guard="clock() > 9"),
            row("l1", "last", "o1", ticks=50),
            row("o2", "option", "uu", name="Sulk"),
            row("l2", "last", "o2", ticks=50),
            seconds=0.5,
        )
    )
    text = explains.why(0).text
    assert "Sulk scored 1.00; Prowl with 1.00 was refused." in text
    assert "of equals" not in text + explains.why_not(0, "o1").text


def test_what_ended_last_is_what_a_row_came_to() -> None:
    """One before it was tried once more, and failed, in the same tick."""
    explains = explainer(
        project(
            row("top", "selector", name="Day", resumes_at="the first"),
            row("l1", "last", "top", name="Try", ticks=0, success=False),
            row("l2", "last", "top", name="Work", ticks=2),
            row("l3", "last", "top", name="Rest", ticks=2),
            seconds=0.3,
        )
    )
    assert not_so(explains, 2, "l3").startswith(
        "Rest comes after Work, and is tried only when that fails. Work "
        "succeeded at this tick."
    )


def test_an_option_of_a_utility_that_did_not_decide_says_why_not() -> None:
    late = [("time_limit", {"limit": 0.2})]
    explains = explainer(
        project(
            row("uu", "utility", name="Day", decorators=late),
            row("o1", "option", "uu", name="Prowl"),
            row("l1", "last", "o1", ticks=50),
            row("o2", "option", "uu", name="Sulk", weight=0.5),
            row("l2", "last", "o2", ticks=50),
            seconds=0.4,
        )
    )
    answer = explains.why_not(2, "o2")
    assert [line.text for line in answer.lines] == [
        "Day failed at this tick: its time limit of 0.20 s ran out.",
        "Sulk scored 0.50 when it was last decided. It scores 0.50 at most, "
        "whatever its inputs are: it would need more weight. It has not run "
        "before in this take.",
    ]
