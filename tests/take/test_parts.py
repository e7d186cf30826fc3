"""A look at a take that is played may come in two files. Together they are the
take as it stands in one, wherever it was cut.
"""

from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from umbrant.catalog.validation import open_project
from umbrant.model.documents import Project
from umbrant.model.staging import Scenario
from umbrant.rolling.roll import Play, header_of
from umbrant.take.errors import TakeError
from umbrant.take.pieces import TakePiece
from umbrant.take.reader import Take, TakeReading, read_take
from umbrant.take.recorder import TakeRecorder
from umbrant.take.take_file import TakeFile

TICKS = 120
"""How many ticks are played."""


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
    seed: int | None, chunk_ticks: int, piece_ticks: int
) -> Sequence[TakePiece]:
    """What is recorded of a project, in pieces of so many ticks."""
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
        play.tick(tick)
    return found


def assert_same(one: Take, other: Take) -> None:
    """That two takes are equal in all but their files."""
    assert one.ticks == other.ticks
    assert one.agents == other.agents
    assert one.props == other.props
    assert one.cues == other.cues
    assert one.notices == other.notices
    assert one.ended == other.ended
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


def in_parts(folder: Path) -> Take:
    reading = TakeReading()
    for part in ("past", "since"):
        reading.add(folder / part)
    return reading.take()


@settings(max_examples=60, deadline=None)
@given(
    seed=st.sampled_from([None, *range(6)]),
    chunk_ticks=st.sampled_from([17, 60, 1000]),
    piece_ticks=st.sampled_from([1, 4, 7]),
    cuts=st.tuples(st.integers(0, TICKS), st.integers(0, TICKS)).map(sorted),
)
def test_a_look_in_two_files_is_the_look_in_one(
    tmp_path_factory: pytest.TempPathFactory,
    seed: int | None,
    chunk_ticks: int,
    piece_ticks: int,
    cuts: list[int],
) -> None:
    folder = tmp_path_factory.mktemp("parts")
    file = file_of(project_of(seed), folder / "take")
    pieces = pieces_of(seed, chunk_ticks, piece_ticks)
    known = [each for each in pieces if each.ticks <= cuts[0]]
    played = [each for each in pieces if cuts[0] < each.ticks <= cuts[1]]
    for piece in known:
        file.push(piece)
    file.copy_past(folder / "past")
    for piece in played:
        file.push(piece)
    file.copy_so_far(folder / "all")
    file.copy_since(folder / "since")
    file.close()
    assert_same(in_parts(folder), read_take(folder / "all"))


@pytest.mark.parametrize("chunk_ticks", [9, 1000])
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
            file.copy_past(tmp_path / "past")
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
    found = in_parts(tmp_path)
    assert_same(found, read_take(tmp_path / "all"))
    assert found.poses["brine"][36].tolist() == [2.0, 36.0, 0.0]
    assert np.isnan(found.poses["brine"][:36]).all()


def test_a_part_of_another_take_is_damage(tmp_path: Path) -> None:
    for name, seed in (("one", None), ("other", 0)):
        file = file_of(project_of(seed), tmp_path / name)
        file.copy_past(tmp_path / f"{name}.past")
        file.copy_since(tmp_path / f"{name}.since")
        file.remove()
    reading = TakeReading()
    reading.add(tmp_path / "one.past")
    with pytest.raises(TakeError, match="of another take"):
        reading.add(tmp_path / "other.since")


def test_a_part_is_read_after_what_it_goes_on_from_alone(
    tmp_path: Path,
) -> None:
    file = file_of(project_of(None), tmp_path / "take")
    pieces = pieces_of(None, 1000, 7)
    for piece in pieces[:4]:
        file.push(piece)
    file.copy_past(tmp_path / "past")
    for piece in pieces[4:]:
        file.push(piece)
    file.copy_so_far(tmp_path / "all")
    file.copy_since(tmp_path / "since")
    file.remove()
    for name in ("past", "all", "since"):
        reading = TakeReading()
        if name != "since":
            reading.add(tmp_path / name)
        if name != "past":
            with pytest.raises(TakeError, match="from another file"):
                reading.add(tmp_path / "since")
