"""A look at a take that is played may go on from another take. Together they
are the take as it stands in one file, whatever the other one did later.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from umbrant.catalog.causes import Cause
from umbrant.catalog.validation import open_project
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.edits import delete_rows, set_guard
from umbrant.model.staging import Scenario
from umbrant.model.values import ParamValue
from umbrant.rolling.roll import Play, header_of
from umbrant.take.errors import TakeError
from umbrant.take.pieces import TakePiece
from umbrant.take.reader import Take, read_on, read_take
from umbrant.take.recorder import TakeRecorder
from umbrant.take.take_file import TakeFile

TICKS = 120
"""How many ticks are played."""
KNOWN = 4
"""How many pieces are known of a take that is gone on from."""
STOPPED = Cause("parent_left", {"row": "x"})


@lru_cache(maxsize=8)
def project_of(seed: int | None) -> Project:
    if seed is None:
        return open_project(DEMO)
    return RandomProject(seed).made


def scenario_of(project: Project) -> Scenario:
    scenario = project.scenario(project.cover.scenario)
    return scenario.model_copy(
        update={"seconds": TICKS / scenario.ticks_per_s}
    )


def file_of(project: Project, path: Path) -> TakeFile:
    return TakeFile(path, header_of(project, scenario_of(project)))


@lru_cache(maxsize=32)
def pieces_of(
    seed: int | None,
    chunk_ticks: int,
    piece_ticks: int,
    stopped_at: int | None = None,
) -> Sequence[TakePiece]:
    """What is recorded of a project, in pieces of so many ticks. Before one
    tick everybody may be made to begin anew, which the scenario does not say.
    """
    project = project_of(seed)
    scenario = scenario_of(project)
    found: list[TakePiece] = []
    recorder = TakeRecorder(
        scenario.ticks_per_s,
        chunk_ticks,
        found.append,
        lambda: recorder.tick % piece_ticks == 0,
    )
    play = Play(project, scenario, recorder, CATALOG)
    for tick in range(TICKS):
        if tick == stopped_at:
            for runner in play.common.runners:
                runner.stop(STOPPED)
        play.tick(tick)
    return found


def written(project: Project, pieces: Sequence[TakePiece], path: Path) -> Take:
    """The take of these pieces."""
    file = file_of(project, path)
    for piece in pieces:
        file.push(piece)
    file.close()
    return read_take(path)


def assert_same(one: Take, other: Take) -> None:
    """That two takes are equal in all but their files."""
    assert one.ticks == other.ticks
    assert one.agents == other.agents
    assert one.boards == other.boards
    assert one.props == other.props
    assert one.cues == other.cues
    assert one.notices == other.notices
    assert one.ended == other.ended
    assert list(one.body_numbers) == list(other.body_numbers)
    for ours, theirs in (
        (one.poses, other.poses),
        (one.levels, other.levels),
        *(
            (one.body_numbers[body], other.body_numbers[body])
            for body in one.body_numbers
        ),
    ):
        assert list(ours) == list(theirs)
        for name, numbers in ours.items():
            assert np.array_equal(numbers, theirs[name], equal_nan=True), name


@pytest.fixture(scope="module", autouse=True)
def kinds() -> Iterator[None]:
    """The random projects have nodes of the tests' own."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("umbrant.take.stored.documents.BUILTIN", CATALOG)
        yield


@settings(max_examples=80, deadline=None)
@given(
    seed=st.sampled_from([None, *range(6)]),
    chunk_ticks=st.sampled_from([17, 60, 1000]),
    piece_ticks=st.sampled_from([1, 4, 7]),
    cuts=st.tuples(st.integers(1, TICKS), st.integers(1, TICKS)).map(sorted),
    differs=st.sampled_from(["neither", "the other", "this"]),
)
def test_a_look_that_goes_on_from_a_take_is_the_look_in_one(
    tmp_path_factory: pytest.TempPathFactory,
    seed: int | None,
    chunk_ticks: int,
    piece_ticks: int,
    cuts: list[int],
    differs: str,
) -> None:
    """Also where the two part at the very tick from which it goes on."""
    folder, project = tmp_path_factory.mktemp("parts"), project_of(seed)
    from_tick = cuts[0] // piece_ticks * piece_ticks
    stopped = {"neither": None, "the other": from_tick, "this": None}
    before = written(
        project,
        pieces_of(seed, chunk_ticks, piece_ticks, stopped[differs]),
        folder / "before",
    )
    stopped = {"neither": None, "the other": None, "this": from_tick}
    pieces = pieces_of(seed, chunk_ticks, piece_ticks, stopped[differs])
    file = file_of(project, folder / "take")
    for piece in pieces:
        if piece.ticks <= from_tick:
            file.push(piece)
    goes_on = file.go_on_apart()
    assert goes_on == (file.ticks % chunk_ticks != 0)
    for piece in pieces:
        if from_tick < piece.ticks <= cuts[1]:
            file.push(piece)
    if goes_on:
        file.copy_so_far(folder / "all")
        file.copy_since(folder / "since")
        found = read_on(folder / "since", before)
        assert_same(found, read_take(folder / "all"))
    file.remove()


def test_numbers_that_are_written_otherwise_are_filled_in_anew(
    tmp_path: Path,
) -> None:
    """What a condition found is compared with the number of its own
    documents.
    """
    one = project_of(None)
    pieces = pieces_of(None, 1000, 4)
    before = written(one, pieces, tmp_path / "before")
    other = set_guard(one, "warden", "esc", "can_see(visitor, within=9)")
    file = file_of(other, tmp_path / "take")
    for piece in pieces[:20]:
        file.push(piece)
    assert file.go_on_apart()
    for piece in pieces[20:24]:
        file.push(piece)
    file.copy_so_far(tmp_path / "all")
    file.copy_since(tmp_path / "since")
    file.remove()
    found = read_on(tmp_path / "since", before)
    assert_same(found, read_take(tmp_path / "all"))
    reasons = {
        each.cause.facts["range_m"]
        for take in (before, found)
        for each in take.agents["odo"].rows["esc"].sensed["guard", 0].values
        if each is not None and each.cause is not None
    }
    assert reasons == {8.0, 9.0}


@pytest.mark.parametrize("chunk_ticks", [25, 1000])
@pytest.mark.parametrize("known", [4, 9, 20, 33])
def test_who_comes_after_a_part_begins_in_the_next(
    tmp_path: Path, chunk_ticks: int, known: int
) -> None:
    """Its numbers begin with the chunk in which it comes, not with the part."""
    file = file_of(project_of(None), tmp_path / "take")
    recorder = TakeRecorder(20, chunk_ticks, file.push)
    for tick in range(60):
        if tick == known:
            recorder.hand_over()
            assert file.go_on_apart()
        recorder.posing("odo")((float(tick), 1.0), 90.0)
        if tick > 35:
            recorder.posing("brine")((2.0, float(tick)), 0.0)
            recorder.prop("tub", tick / 100, (1.0, 2.0), None)
        if tick > 40:
            recorder.body_number("brine", "energy", tick / 2)
        recorder.tick_done()
    recorder.hand_over()
    file.copy_so_far(tmp_path / "all")
    file.copy_since(tmp_path / "since")
    file.remove()
    full = read_take(tmp_path / "all")
    found = read_on(tmp_path / "since", full)
    assert_same(found, full)
    assert found.poses["brine"][36].tolist() == [2.0, 36.0, 0.0]
    assert np.isnan(found.poses["brine"][:36]).all()


def test_who_comes_later_in_the_other_take_is_not_there(
    tmp_path: Path,
) -> None:
    """Nor is the track of who never comes in this one."""

    def recorded(name: str, comes_at: int) -> TakeFile:
        file = file_of(project_of(None), tmp_path / name)
        recorder = TakeRecorder(20, 1000, file.push)
        for tick in range(60):
            if tick == 20:
                recorder.hand_over()
                assert file.go_on_apart()
            recorder.posing("odo")((float(tick), 1.0), 90.0)
            if tick >= comes_at:
                recorder.posing("brine")((2.0, float(tick)), 0.0)
            recorder.tick_done()
        recorder.hand_over()
        return file

    other = recorded("other", 40)
    other.close()
    file = recorded("take", 100)
    file.copy_so_far(tmp_path / "all")
    file.copy_since(tmp_path / "since")
    file.remove()
    found = read_on(tmp_path / "since", read_take(tmp_path / "other"))
    assert_same(found, read_take(tmp_path / "all"))
    assert list(found.poses) == ["odo"]


def since_of(
    project: Project, pieces: Sequence[TakePiece], folder: Path
) -> Path:
    """A file that goes on from the first pieces of a project's take."""
    file = file_of(project, folder / "take")
    for number, piece in enumerate(pieces):
        if number == KNOWN:
            file.go_on_apart()
        file.push(piece)
    file.copy_since(folder / "since")
    file.remove()
    return folder / "since"


@pytest.fixture(scope="module")
def known(tmp_path_factory: pytest.TempPathFactory) -> tuple[Take, bytes]:
    """A take, and a file that goes on from it."""
    folder = tmp_path_factory.mktemp("known")
    pieces = pieces_of(None, 1000, 7)
    full = written(project_of(None), pieces, folder / "full")
    since = since_of(project_of(None), pieces, folder)
    return full, since.read_bytes()


@settings(max_examples=150, deadline=None)
@given(
    places=st.lists(
        st.tuples(st.floats(0, 1, exclude_max=True), st.integers(0, 255)),
        min_size=1,
        max_size=20,
    )
)
def test_damage_in_what_goes_on_is_said(
    known: tuple[Take, bytes],
    tmp_path_factory: pytest.TempPathFactory,
    places: list[tuple[float, int]],
) -> None:
    full, data = known
    damaged = bytearray(data)
    for share, byte in places:
        damaged[int(share * len(data))] = byte
    path = tmp_path_factory.mktemp("damaged") / "since"
    path.write_bytes(damaged)
    with suppress(TakeError):
        take = read_on(path, full)
        assert take.agents.keys() == full.agents.keys()
        assert take.ticks <= take.header.ticks


def test_what_goes_on_from_another_take_is_damage(tmp_path: Path) -> None:
    pieces = pieces_of(None, 1000, 7)
    since = since_of(project_of(None), pieces, tmp_path)
    short = written(project_of(None), pieces[:2], tmp_path / "short")
    other = written(project_of(0), pieces_of(0, 1000, 7), tmp_path / "another")
    for before in (short, other):
        with pytest.raises(TakeError, match="from another take"):
            read_on(since, before)
    with pytest.raises(TakeError, match="from another take"):
        read_take(since)
    full = written(project_of(None), pieces, tmp_path / "full")
    with pytest.raises(TakeError, match="from another take"):
        read_on(tmp_path / "full", full)
    assert read_on(since, full).ticks == full.ticks == TICKS // 7 * 7


def doubled(row: Row) -> Row:
    """A row in which each number of its decorators and its own is twice as
    large.
    """

    def twice(args: Mapping[str, ParamValue]) -> dict[str, ParamValue]:
        return {
            name: value * 2 if type(value) is float else value
            for name, value in args.items()
        }

    decorators = tuple(
        each.model_copy(update={"args": twice(each.args)})
        for each in row.decorators
    )
    return row.model_copy(
        update={"args": twice(row.args), "decorators": decorators}
    )


def test_what_was_recorded_of_another_row_is_not_gone_on_from(
    tmp_path: Path,
) -> None:
    """Of what is not a condition nothing may be written otherwise."""
    project, pieces = project_of(None), pieces_of(None, 1000, 7)
    before = written(project, pieces, tmp_path / "full")
    other = project.model_copy(
        update={
            "behaviors": tuple(
                each.with_rows(tuple(map(doubled, each.rows)))
                for each in project.behaviors
            )
        }
    )
    since = since_of(other, pieces, tmp_path)
    with pytest.raises(TakeError, match="goes on from another"):
        read_on(since, before)


def test_what_was_recorded_of_a_row_that_is_gone_is_not_gone_on_from(
    tmp_path: Path,
) -> None:
    project, pieces = project_of(None), pieces_of(None, 1000, 7)
    before = written(project, pieces, tmp_path / "full")
    ran = {row for each in before.agents.values() for row in each.rows}
    other = delete_rows(
        project,
        "dog",
        [
            next(
                row.id
                for row in project.behavior("dog").rows
                if row.under is not None and row.id in ran
            )
        ],
    )
    since = since_of(other, pieces, tmp_path)
    with pytest.raises(TakeError, match="from a row that is gone"):
        read_on(since, before)
