"""When a condition was last yes, held against a note of each time that it was
asked: what it would have found in between, nobody knows.
"""

from typing import NamedTuple

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.kinds import CATALOG, NOTED
from tests.reasons.count_claims import lines_of
from tests.small import played, project, row
from umbrant.model.behaviors import Key, Row, Watch
from umbrant.model.parts import ROW
from umbrant.model.values import KeyRef, KeyType
from umbrant.reasons.sentences import Claim, ClaimKind
from umbrant.reasons.why import Explainer

TICKS = 20


class Guarded(NamedTuple):
    """A row in another one: what its guard says at each tick, when that is
    asked, and how the row goes on.
    """

    answers: str
    watch: Watch
    ticks: int
    success: bool
    cools: bool


GUARDED = st.builds(
    Guarded,
    st.text("01", min_size=TICKS, max_size=TICKS),
    st.sampled_from(Watch),
    st.integers(0, 5),
    st.booleans(),
    st.booleans(),
)


def last_yes_claims(explains: Explainer) -> list[Claim]:
    """All that is said in any answer about when something was last yes."""
    answers = [
        answer
        for tick in range(explains.take.ticks)
        for answer in (
            explains.why(tick),
            *(
                explains.why_not(tick, each)
                for each in explains.outline.number
            ),
        )
    ]
    return [
        claim
        for answer in answers
        for line in lines_of(answer)
        for claim in line.claims
        if claim.kind is ClaimKind.LAST_YES
    ]


@settings(max_examples=100, deadline=None)
@given(
    rows=st.lists(GUARDED, min_size=1, max_size=3),
    parent=st.sampled_from(
        [
            row("top", "selector"),
            row("top", "selector", resumes_at="the first"),
            row("top", "sequence"),
            row("top", "sequence", resumes_at="the first"),
            row("top", "random_selector"),
            row("top", "parallel"),
            row("top", "accompany"),
        ]
    ),
)
def test_last_yes_was_found_at_the_last_evaluation(
    rows: list[Guarded], parent: Row
) -> None:
    NOTED.clear()
    guarded = [
        row(
            f"r{index}",
            "last",
            "top",
            ticks=each.ticks,
            success=each.success,
            guard=(f"noted({index}, '{each.answers}')", each.watch),
            decorators=[("cooldown", {"duration": 0.3})] if each.cools else [],
        )
        for index, each in enumerate(rows)
    ]
    made = project(
        parent,
        *guarded,
        row("rest", "last", "top", ticks=2),
        seconds=TICKS / 10,
    )
    explains = Explainer(played(made), "a", CATALOG)
    for claim in last_yes_claims(explains):
        yes_at = {
            tick
            for which, tick, yes in NOTED
            if yes and f"r{which}" == claim.row_id
        }
        until = int(str(claim.facts["until"]))
        assert claim.tick == max(each for each in yes_at if each < until), (
            claim
        )


def test_while_a_row_runs_its_guard_may_not_be_asked() -> None:
    made = project(
        row("top", "selector"),
        row(
            "r1",
            "last",
            "top",
            ticks=6,
            success=False,
            guard=("clock() < 0.25", Watch.ON_ENTRY),
        ),
        row("rest", "last", "top", ticks=90),
        seconds=1.2,
    )
    explains = Explainer(played(made), "a", CATALOG)
    assert last_yes_claims(explains) == []
    again = project(
        *(
            each.model_copy(update={"args": {**each.args, "ticks": 2.0}})
            if each.id == "rest"
            else each
            for each in made.behaviors[0].rows
        ),
        seconds=1.2,
    )
    late = Explainer(played(again), "a", CATALOG).why(11)
    assert "last yes 1.10 s ago" in late.text


def test_what_was_yes_and_then_no_within_a_tick_was_yes_at_it() -> None:
    """The state leads back to itself, and is asked once more."""
    explains = Explainer(
        played(
            project(
                row("mm", "machine"),
                row("s1", "state", "mm"),
                row(
                    "t1",
                    "when",
                    "s1",
                    when="n < 1 and clock() > 0.15",
                    to="s1",
                ),
                row("h1", "on_enter", "s1"),
                row("c1", "count", "h1", key=KeyRef(key="n"), amount=1.0),
                row("w1", "wait", "s1", duration=9.0),
                keys=(Key(name="n", type=KeyType.NUMBER, default=-1.0),),
            )
        ),
        "a",
        CATALOG,
    )
    found = [
        (step.tick, step.found and step.found.truth)
        for step in explains.record.row("t1").atom_steps[ROW]
        if step.atom == 0
    ]
    assert found == [(0, True), (2, False)]
    said = explains.why_not(6, "t1").text
    assert "not below 1; that part was last yes 0.40 s ago" in said
