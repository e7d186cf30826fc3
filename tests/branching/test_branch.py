"""Branches: the same until their tick, then what was done and what came of it."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from tests.small import played, project, row, spans, values
from umbrant.branching.branch import (
    branch_actions,
    branch_order,
    check_past,
    kept_scenario,
)
from umbrant.comparing.comparison import compared
from umbrant.comparing.parting import first_difference
from umbrant.model.behaviors import Key
from umbrant.model.problems import ProjectError
from umbrant.model.staging import (
    Body,
    CueAction,
    HeldResult,
    HoldResult,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    Stat,
)
from umbrant.model.values import KeyType
from umbrant.rolling.roll import roll
from umbrant.take.errors import TakeError
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import Take, read_take

RESULTS = (HeldResult.SUCCESS, HeldResult.FAILURE, HeldResult.REFUSED)


def branched(
    parent: Take, tick: int, actions: tuple[CueAction, ...], folder: Path
) -> Take:
    order = branch_order(
        parent, tick, actions, folder / "branch.take", trusted=False
    )
    take = read_take(roll(order, catalog=CATALOG))
    check_past(parent, take)
    return take


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("branches")


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6), st.integers(0, 19))
def test_a_branch_in_which_nothing_is_done_is_its_parent(
    folder: Path, seed: int, tick: int
) -> None:
    parent = played(RandomProject(seed).made)
    branch = branched(parent, tick, (), folder)
    assert compared(parent, branch).is_equal
    for form in ExportFormat:
        assert export_text(branch, form) == export_text(parent, form)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**6), st.integers(0, 19), st.data())
def test_a_branch_is_its_parent_until_its_tick_whatever_is_done(
    folder: Path, seed: int, tick: int, data: st.DataObject
) -> None:
    parent = played(RandomProject(seed).made)
    behavior = parent.header.project.behaviors[0]
    rows = [each.id for each in behavior.rows if each.kind in HELD_KINDS]
    held = st.builds(
        HoldResult,
        holds=st.sampled_from(rows or ["none"]),
        of=st.just("a"),
        result=st.sampled_from(RESULTS),
    )
    key = st.builds(
        SetKey, sets=st.just("mood"), of=st.just("a"), value=st.floats(0, 5)
    )
    there = st.tuples(st.floats(1, 19), st.floats(1, 9))
    moved = st.builds(MoveTo, moves=st.sampled_from(["a", "walker"]), to=there)
    actions = data.draw(
        st.lists(key | moved | (held if rows else key), min_size=1, max_size=3)
    )
    branch = branched(parent, tick, tuple(actions), folder)
    first = first_difference(parent, branch)
    assert first is not None
    assert first.tick == tick
    # What is held stays held: from its tick on such a row never ends in
    # another way.
    record = branch.agents["a"]
    last_held = {
        each.holds: each.result
        for each in actions
        if isinstance(each, HoldResult)
    }
    for row_id, result in last_held.items():
        begun = [
            each for each in record.row(row_id).spans if each.start > tick
        ]
        if result is HeldResult.REFUSED:
            assert begun == []
        else:
            ends = {(each.end, each.outcome) for each in begun}
            assert ends <= {(each.start, result.value) for each in begun}


HELD_KINDS = (
    "selector",
    "sequence",
    "parallel",
    "wait",
    "check",
    "count",
    "set_number",
)


def waiting(first_s: float = 0.5) -> Take:
    """Two rows in turns, and a body with a number."""
    return played(
        project(
            row("top", "selector"),
            row("one", "wait", "top", duration=first_s),
            row("two", "wait", "top", duration=0.3),
            keys=(
                Key(
                    name="mood",
                    type=KeyType.NUMBER,
                    low=0,
                    high=1,
                    default=0.2,
                ),
            ),
            body=Body(stats={"energy": Stat(value=0.5)}),
        )
    )


def test_what_is_done_is_recorded_and_can_be_read_from_the_branch(
    folder: Path,
) -> None:
    parent = waiting()
    actions = (
        SetKey(sets="mood", of="a", value=0.9),
        SetNumber(changes="energy", of="a", value=0.1),
    )
    branch = branched(parent, 3, actions, folder)
    assert branch.header.branched_at == 3
    assert branch_actions(branch.header) == actions
    assert branch_actions(parent.header) == ()
    assert values(branch, "mood")[-1] == (3, 0.9)
    assert branch.number_changes("a", "energy").at(2) == 0.5
    assert branch.number_changes("a", "energy").at(3) == 0.1
    # What is beyond the bounds of a number stops there.
    over = branched(
        parent, 3, (SetNumber(changes="energy", of="a", value=9),), folder
    )
    assert over.number_changes("a", "energy").at(3) == 1.0


def test_a_held_row_ends_as_it_is_held_until_it_is_released(
    folder: Path,
) -> None:
    parent = waiting()
    assert spans(parent, "one")[0] == (0, 5, "success")
    fails = HoldResult(holds="one", of="a", result=HeldResult.FAILURE)
    branch = branched(parent, 2, (fails,), folder)
    assert spans(branch, "one")[0] == (0, 2, "failure")
    assert spans(branch, "two")[0] == (2, 5, "success")
    free = HoldResult(holds="one", of="a", result=HeldResult.RELEASED)
    again = branched(branch, 8, (free,), folder)
    assert again.header.branched_at == 8
    later = [each for each in spans(again, "one") if each[0] > 8]
    assert later[0][2] == "success"


def test_what_cannot_be_done_is_refused_with_the_way_out(folder: Path) -> None:
    parent = waiting()
    for action, said in (
        (SetKey(sets="mood", of="a", value=3.0), "`mood` cannot be 3.0"),
        (SetKey(sets="mod", of="a", value=0.3), "Did you mean 'mood'?"),
        (MoveTo(moves="b", to=(1, 1)), "there is no 'b' in the cast"),
        (RaiseEvent(raises="bell"), "not in the list of events"),
        (SetNumber(changes="health", of="a", value=1), "no number `health`"),
        (
            HoldResult(holds="three", of="a", result=HeldResult.FAILURE),
            "^the behavior of 'a' has no row `three`",
        ),
        (
            HoldResult(holds="one", of="b", result=HeldResult.FAILURE),
            "there is no 'b'",
        ),
    ):
        with pytest.raises(ProjectError, match=said):
            branch_order(
                parent, 3, (action,), folder / "no.take", trusted=False
            )
    with pytest.raises(TakeError, match="branch off before that"):
        branch_order(
            parent, parent.ticks, (), folder / "no.take", trusted=False
        )


def test_a_take_that_cannot_be_played_again_has_no_branches(
    folder: Path,
) -> None:
    parent = waiting()
    other = waiting(0.2)
    branch = branched(parent, 9, (), folder)
    with pytest.raises(
        TakeError, match=r"cannot be played again as it was: at 0\.20 s"
    ):
        check_past(other, branch)


def test_a_branch_can_be_kept_as_a_scenario(folder: Path) -> None:
    parent = waiting()
    fails = HoldResult(holds="one", of="a", result=HeldResult.FAILURE)
    branch = branched(parent, 2, (fails,), folder)
    made = parent.header.project
    kept = kept_scenario(branch.header, "what-if", "What if")
    with_it = made.model_copy(update={"scenarios": (*made.scenarios, kept)})
    cover = made.cover.model_copy(update={"scenario": "what-if"})
    again = played(with_it.model_copy(update={"cover": cover}))
    assert compared(branch, again).is_equal


def test_a_row_that_does_not_end_by_itself_cannot_be_held(
    folder: Path,
) -> None:
    parent = played(
        project(
            row("mm", "machine"),
            row("s1", "state", "mm", name="Lurk"),
            seconds=0.5,
        )
    )
    hold = HoldResult(holds="s1", of="a", result=HeldResult.FAILURE)
    with pytest.raises(
        ProjectError,
        match=r"^1\.1 Lurk of 'a' is a state, which does not end by itself\.",
    ):
        branch_order(parent, 2, (hold,), folder / "no.take", trusted=False)
