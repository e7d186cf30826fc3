"""What an agent was about and when it changed its mind: also within a tick,
and in each branch.
"""

from tests.kinds import CATALOG
from tests.small import key, played, project, row
from umbrant.model.behaviors import Key, Row, Watch
from umbrant.model.values import KeyType
from umbrant.reasons.decision_changes import (
    branches,
    decision_changes,
    leading_spans,
)
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take


def changes(take: Take, agent: str = "a") -> list[tuple[int, str]]:
    """The tick and the row of each change of mind."""
    return [
        (lead.start, lead.row_id) for lead in decision_changes(take, agent)
    ]


def sentences(take: Take) -> list[str]:
    """Why each change of mind came."""
    explainer = Explainer(take, "a", CATALOG)
    return [
        explainer.change(lead).text for lead in decision_changes(take, "a")
    ]


FALLBACK = (
    row("top", "selector"),
    row("bad", "last", "top", name="Door", ticks=0, success=False),
    row("good", "last", "top", name="Window", ticks=50),
)


def test_what_failed_at_once_leads_before_its_fallback() -> None:
    take = played(project(*FALLBACK, seconds=1.0))
    assert changes(take) == [(0, "bad"), (0, "good")]
    assert sentences(take)[1] == "Window: Door failed"
    assert Explainer(take, "a", CATALOG).path(0) == ("top", "good")


def test_a_tree_that_fails_at_every_tick_has_changes_and_says_that_it_restarts() -> (
    None
):
    rows = (
        *FALLBACK[:2],
        row("good", "last", "top", name="Window", ticks=0, success=False),
    )
    take = played(project(*rows, seconds=1.0))
    assert changes(take) == [(0, "bad"), (0, "good")]
    (branch,) = leading_spans(take, "a")
    assert [(lead.start, lead.end, lead.restarts) for lead in branch] == [
        (0, 0, False),
        (0, 9, True),
    ]
    assert sentences(take)[1].endswith(
        "it begins and ends anew at each of 10 ticks"
    )
    explainer = Explainer(take, "a", CATALOG)
    assert explainer.path(4) == ("top", "good"), "of those that ended the last"
    headline = explainer.why(4).headline
    assert headline is not None
    assert headline.text.endswith(
        "; it begins and ends anew at every tick since then."
    )


def test_what_is_tried_again_and_again_beside_a_row_that_runs_on_is_no_change() -> (
    None
):
    rows = (
        row("top", "selector", resumes_at="the first"),
        row("bad", "last", "top", ticks=0, success=False),
        row("good", "last", "top", ticks=50),
    )
    take = played(project(*rows, seconds=1.0))
    assert changes(take) == [(0, "bad"), (0, "good")]


TOGETHER = (
    row("both", "parallel"),
    row("legs", "selector", "both"),
    row(
        "run",
        "last",
        "legs",
        name="Run",
        ticks=50,
        guard=("between(0.3, 0.6)", Watch.THROUGHOUT),
    ),
    row("walk", "last", "legs", name="Walk", ticks=50),
    row("eyes", "selector", "both"),
    row(
        "stare",
        "last",
        "eyes",
        ticks=50,
        guard=("between(0.5, 2)", Watch.TAKE_OVER),
    ),
    row("blink", "last", "eyes", ticks=50),
)


def test_each_branch_of_a_parallel_has_its_own_changes_of_mind() -> None:
    made = project(*TOGETHER, seconds=1.0)
    assert branches(made.behaviors[0]) == (("run", "walk"), ("stare", "blink"))
    take = played(made)
    assert changes(take) == [
        (0, "walk"),
        (0, "blink"),
        (3, "run"),
        (5, "stare"),
        (6, "walk"),
    ]
    assert sentences(take)[2].startswith("Run: between 0.3 s and 0.6 s is yes")
    assert sentences(take)[4].startswith("Walk: Run was left")


def test_a_change_names_the_guard_that_let_a_row_in_beside_what_was_done() -> (
    None
):
    rows: tuple[Row, ...] = (
        row("top", "selector"),
        row("hot", "last", "top", name="Hot", ticks=50, guard="n > 2"),
        row("work", "sequence", "top", name="Work"),
        row("one", "set_number", "work", value=3.0, key=key("n")),
        row("two", "last", "work", ticks=2),
    )
    number = Key(name="n", type=KeyType.NUMBER, default=0.0)
    take = played(project(*rows, keys=(number,), seconds=1.0))
    text = sentences(take)[-1]
    assert text.startswith("Hot: Work was done, and n is 3, above 2"), text


def test_a_take_over_names_the_cooldown_that_ended() -> None:
    rows = (
        row("top", "selector"),
        row(
            "warn",
            "last",
            "top",
            name="Warn",
            ticks=1,
            guard=("n > 0", Watch.TAKE_OVER),
            decorators=[("cooldown", {"duration": 0.5})],
        ),
        row("idle", "last", "top", name="Idle", ticks=99),
    )
    number = Key(name="n", type=KeyType.NUMBER, default=1.0)
    take = played(project(*rows, keys=(number,), seconds=1.0))
    assert sentences(take)[2].startswith(
        "Warn: its cooldown ended, and n is 1, above 0"
    )


def test_a_row_that_restarts_with_a_tick_in_between_restarts_anew() -> None:
    """What is said of one that restarts is said of each of its ticks."""
    rows = (
        row("uu", "utility", decorators=[("time_limit", {"limit": 0.3})]),
        row("oo", "option", "uu"),
        row("cc", "consider", "oo", input="clock()", high=0.5),
        row("r1", "selector", "oo"),
        row("r2", "last", "r1", name="Try", ticks=0, success=False),
    )
    take = played(project(*rows, seconds=0.8))
    ((first, second),) = leading_spans(take, "a")
    assert (first.start, first.end, first.restarts) == (1, 3, True)
    assert (second.start, second.end, second.restarts) == (5, 7, True)
    headline = Explainer(take, "a", CATALOG).why(6).headline
    assert headline is not None
    assert headline.text == (
        "a was at Try, since 0.50 s; it begins and ends anew at every tick "
        "since then."
    )
