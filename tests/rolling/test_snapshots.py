"""An order goes on from a snapshot of the one before, and whatever becomes of
the snapshots, its take is the one from the first tick.
"""

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.rolling.supervised import Supervisor
from tests.rolling.test_resuming import NUMBERS, order_of, tables, with_number
from tests.waiting import PATIENCE_S, until
from umbrant.branching.branch import with_cues
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.model.documents import Project
from umbrant.model.edits import change_row, rename_row, set_guard
from umbrant.model.staging import RaiseEvent
from umbrant.rolling import snapshots
from umbrant.rolling.client import SUPERVISOR
from umbrant.rolling.orders import Look, order_line, stop_line
from umbrant.rolling.roll import Play, RollOrder, played, roll
from umbrant.rolling.snapshots import Snapshot, TakeHistory, best_ticks
from umbrant.take.pieces import TakePiece
from umbrant.take.reader import Take, read_on, read_take
from umbrant.take.recorder import TakeRecorder
from umbrant.take.take_file import first_difference

QUAY = open_project(DEMO)
LASTS_S = 26.0
"""As long as it takes until most rows of the demo have been reached."""
LATE = ("dog", "woof", "duration", 0.6)
"""A number of a row that is reached late in the take."""


class Session:
    """Orders that a supervisor carries out one after the other."""

    def __init__(
        self, folder: Path, command: Sequence[str] = SUPERVISOR
    ) -> None:
        self.folder = folder
        self.supervisor = Supervisor(command)
        self.number = 0

    @property
    def snapshots(self) -> list[int]:
        """The processes that wait to go on."""
        first = children(self.supervisor.process.pid)[0]
        return [each for each in children(first) if not has_ended(each)]

    @property
    def copies(self) -> list[int]:
        """The processes that snapshots have forked: those that play, and those
        that were made ahead.
        """
        return [
            each
            for snapshot in self.snapshots
            for each in children(snapshot)
            if not has_ended(each)
        ]

    def rest(self) -> None:
        """Wait until the snapshots of the last order are there."""
        until(lambda: len(self.snapshots) == snapshots.MOST)

    def get_ready(self) -> None:
        """Wait until each of them has made the copy that goes on next."""
        self.rest()
        until(lambda: len(self.copies) == snapshots.MOST)

    def roll(
        self, project: Project, seconds: float = LASTS_S
    ) -> tuple[Path, int]:
        """The take of a project, and the first tick at which something of it
        was heard of.
        """
        self.number += 1
        path = self.folder / f"{self.number}.take"
        self.supervisor.say(
            order_line(
                self.number, order_of(project, path, seconds), keeps=True
            )
        )
        first = 0
        while (
            reply := self.supervisor.hear()
        ).of or reply.number != self.number:
            # What was resumed has been held against the take from the first
            # tick meanwhile.
            assert not reply.differs
            first = first or reply.ticks
        assert not reply.error
        assert reply.take == path
        return path, first

    def begin(self, project: Project) -> RollOrder:
        """Order a take, and wait until some of it has been played."""
        self.number += 1
        path = self.folder / f"{self.number}.take"
        order = order_of(project, path, LASTS_S)
        look = Look(path.with_suffix(".look"), 0)
        self.supervisor.say(
            order_line(self.number, order, keeps=True, look=look)
        )
        assert self.supervisor.hear().of
        return order


GONE = FileNotFoundError, ProcessLookupError
"""What reading about a process raises that has ended: before its file is
opened, or after.
"""


def children(process: int) -> list[int]:
    try:
        text = Path(f"/proc/{process}/task/{process}/children").read_text()
    except GONE:
        return []
    return [int(each) for each in text.split()]


def has_ended(process: int) -> bool:
    try:
        return (
            Path(f"/proc/{process}/stat")
            .read_text()
            .rpartition(")")[2]
            .split()[0]
            == "Z"
        )
    except GONE:
        return True


def processes() -> list[str]:
    listed = subprocess.run(
        ["ps", "-eo", "pid,args"], capture_output=True, text=True, check=True
    )
    return [
        line
        for line in listed.stdout.splitlines()
        if "rolling.supervisor" in line
    ]


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    made = Session(tmp_path)
    yield made
    made.supervisor.end()


def changed(share: float = 1.5) -> Project:
    return with_number(QUAY, LATE, LATE[-1] * share)


def assert_from_first(
    path: Path, project: Project, seconds: float = LASTS_S
) -> None:
    alone = roll(order_of(project, path.with_suffix(".alone"), seconds))
    assert tables(path) == tables(alone)


def test_an_edited_number_goes_on_from_a_snapshot(session: Session) -> None:
    session.roll(QUAY)
    session.rest()
    for share in (1.5, 2.0, 2.5):
        path, first = session.roll(changed(share))
        assert first > 300
        assert_from_first(path, changed(share))
    session.rest()
    path, first = session.roll(QUAY)
    assert first > 0
    assert_from_first(path, QUAY)


def test_an_edit_that_changes_nothing_goes_on_at_the_very_end(
    session: Session,
) -> None:
    """Nothing is left to be played from a snapshot there, and no tick may be
    played beyond it.
    """
    # Of the warden alone so few rows are reached that there is one at the end
    # as well.
    dusk = QUAY.scenario("dusk")
    cast = tuple(each for each in dusk.cast if each.name in {"odo", "visitor"})
    project = QUAY.with_scenario(dusk.model_copy(update={"cast": cast}))
    session.roll(project)
    session.rest()
    noted = change_row(
        project,
        "warden",
        "esc",
        lambda row: row.model_copy(update={"note": "well"}),
    )
    for each, seconds in (
        (project, LASTS_S),
        (noted, LASTS_S),
        (noted, 2 * LASTS_S),
        (project, LASTS_S),
        (project, LASTS_S / 2),
    ):
        path, _ = session.roll(each, seconds)
        assert_from_first(path, each, seconds)


@given(st.lists(st.integers(0, 60), max_size=25))
def test_snapshots_are_where_they_leave_the_least_to_be_played(
    wanted: list[int],
) -> None:
    found = best_ticks(wanted)
    later = {*wanted} - {0}
    assert len(found) == min(snapshots.MOST, len(later))
    assert found == sorted(later & set(found))

    def again(ticks: list[int]) -> int:
        return sum(
            each - max(tick for tick in [0, *ticks] if tick <= each)
            for each in wanted
        )

    # One alone is where no other one would be better.
    alone = min(again([each]) for each in [0, *later])
    assert again(found) <= alone
    if len(later) <= snapshots.MOST:
        assert again(found) == 0


def test_a_look_is_ordered_with_the_take(session: Session) -> None:
    """It is as far as the tick that is wished for, whether the take is resumed
    or not.
    """
    takes: dict[Path, Take] = {}
    for number, project in enumerate((QUAY, changed(), changed(2.0)), 1):
        path, seen = (
            session.folder / f"{number}.take",
            session.folder / f"{number}.look",
        )
        order = order_of(project, path, LASTS_S)
        line = order_line(number, order, keeps=True, look=Look(seen, 500))
        session.supervisor.say(line)
        looks = []
        while (reply := session.supervisor.hear()).of:
            looks += [reply] if reply.look is not None else []
        (look,) = looks
        assert look.look == seen
        # One that is resumed goes on from a take that is known.
        assert (look.past is not None) == (number > 1)
        if look.past is None:
            take = read_take(seen)
        else:
            take = read_on(seen, takes[look.past])
        takes[path] = read_take(path)
        assert take.ticks == look.ticks == 501
        assert_begins_like(take, takes[path])
        assert_from_first(path, project)
        session.rest()


def assert_begins_like(part: Take, full: Take) -> None:
    """That all that began in a part of a take did so in all of it."""
    for name, record in full.agents.items():
        for row_id, row in record.rows.items():
            seen = part.agents[name].row(row_id)
            assert [each.start for each in seen.spans] == [
                each.start for each in row.spans if each.start < part.ticks
            ]
            assert seen.atom_steps == {
                name: found
                for name, steps in row.atom_steps.items()
                if (
                    found := [each for each in steps if each.tick < part.ticks]
                )
            }


def test_what_cannot_be_resumed_is_played_from_the_first_tick(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.rest()
    renamed = rename_row(QUAY, "warden", "esc", "Stay close")
    path, first = session.roll(renamed)
    assert first < 50
    assert_from_first(path, renamed)
    until(lambda: len(session.snapshots) == snapshots.MOST)
    path, first = session.roll(with_number(renamed, LATE, 0.9))
    assert first > 50
    assert_from_first(path, with_number(renamed, LATE, 0.9))


def test_a_number_that_is_asked_from_the_first_tick_on_is_resumed(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.rest()
    for within in (11, 8.4):
        guarded = set_guard(
            QUAY, "warden", "esc", f"can_see(visitor, within={within})"
        )
        path, first = session.roll(guarded)
        assert first > 50, within
        assert_from_first(path, guarded)
        session.rest()


def test_every_number_of_the_demo_in_turn(session: Session) -> None:
    session.roll(QUAY)
    for place in NUMBERS[::9]:
        session.rest()
        project = with_number(QUAY, place, round(place[-1] * 1.25, 2))
        path, _ = session.roll(project)
        assert_from_first(path, project)


def test_no_snapshot_is_wished_for_beyond_the_end(tmp_path: Path) -> None:
    """Cues and walks may go on after it."""
    order = order_of(QUAY, tmp_path, 20.0)
    history = TakeHistory(order, 1)
    recorder = TakeRecorder(20.0, 10**6, history.add)
    play = Play(QUAY, played(order), recorder, BUILTIN)
    for tick in range(400):
        play.tick(tick)
    recorder.end_chunk()
    ticks = history.snapshot_ticks()
    assert len(ticks) == snapshots.MOST
    assert max(ticks) <= 400


def test_snapshots_of_older_orders_go_once_there_are_new_ones(
    tmp_path: Path,
) -> None:
    history = TakeHistory(order_of(QUAY, tmp_path), 1)
    ends = [socket.socketpair() for _ in range(4)]
    for tick, (ours, _) in zip((10, 20, 30, 40), ends, strict=True):
        history.keep(Snapshot(tick, ours, (), tmp_path))
    history.keep_only([20, 40])
    assert [each.tick for each in history.snapshots] == [20, 40]
    # Who waits at the other end of one that is gone hears so, and ends.
    for (ours, theirs), is_kept in zip(
        ends, (False, True, False, True), strict=True
    ):
        theirs.setblocking(False)
        if is_kept:
            with pytest.raises(BlockingIOError):
                theirs.recv(1)
        else:
            assert theirs.recv(1) == b""
        theirs.close()
        ours.close()


WRONG = (sys.executable, "-m", "tests.rolling.wrong_supervisor")


def test_a_resumed_take_that_is_wrong_is_found_out_and_none_is_resumed_again(
    tmp_path: Path,
) -> None:
    session = Session(tmp_path, WRONG)
    try:
        session.roll(QUAY)
        session.rest()
        path, first = session.roll(changed())
        assert first > 300
        right = roll(order_of(changed(), tmp_path / "right.take", LASTS_S))
        assert tables(path) != tables(right)
        reply = session.supervisor.hear()
        assert (reply.number, reply.take, reply.error) == (2, None, "")
        assert "brine" in reply.differs
        for project in (changed(), changed(2.0)):
            path, first = session.roll(project)
            assert first < 50
            assert_from_first(path, project)
        time.sleep(0.5)
        assert session.snapshots == []
    finally:
        session.supervisor.end()


def test_where_two_recordings_differ_is_said_whatever_their_pieces(
    tmp_path: Path,
) -> None:
    def recorded(project: Project, every: int) -> list[TakePiece]:
        pieces: list[TakePiece] = []
        scenario = played(order_of(project, tmp_path))
        ticks = iter(range(1, 10_000))
        recorder = TakeRecorder(
            20.0, 60, pieces.append, lambda: next(ticks) % every == 0
        )
        play = Play(project, scenario, recorder, BUILTIN)
        for tick in range(300):
            play.tick(tick)
        recorder.end_chunk()
        return pieces

    one = recorded(QUAY, 7)
    assert first_difference(one, recorded(QUAY, 11)) == ""
    other = recorded(
        set_guard(QUAY, "warden", "esc", "can_see(visitor, within=11)"), 7
    )
    # From tick 183 on, which is in the chunk that begins at 180.
    assert first_difference(one, other).endswith(" at tick 183")
    shorter = [each for each in one if each.ticks <= 240]
    assert first_difference(one, shorter)


def test_orders_that_follow_at_once(session: Session) -> None:
    """As a number is dragged: each supersedes the one before, wherever that
    is.
    """
    session.roll(QUAY)
    session.rest()
    for step in range(12):
        session.number += 1
        path = session.folder / f"{session.number}.take"
        order = order_of(changed(1 + step / 10), path, LASTS_S)
        session.supervisor.say(order_line(session.number, order, keeps=True))
        time.sleep(0.01 * (step % 4))
    path, _ = session.roll(changed(3.0))
    assert_from_first(path, changed(3.0))
    takes = sorted(
        each.name
        for each in session.folder.iterdir()
        if each.suffix == ".take"
    )
    kept = {"1.take", path.name}
    assert kept <= set(takes)
    # One that was nearly over may have come to its end before it was
    # superseded.
    assert all(read_take(session.folder / each).is_complete for each in takes)


@pytest.mark.parametrize("number", [signal.SIGKILL, signal.SIGTERM])
def test_snapshots_that_are_killed_are_done_without(
    session: Session, number: int
) -> None:
    session.roll(QUAY)
    session.rest()
    for each in session.snapshots:
        os.kill(each, number)
    path, _ = session.roll(changed())
    assert_from_first(path, changed())


def test_a_copy_that_is_killed_is_done_without(session: Session) -> None:
    session.roll(QUAY)
    session.get_ready()
    order = session.begin(changed())
    for each in session.copies:
        os.kill(each, signal.SIGKILL)
    while (reply := session.supervisor.hear()).of:
        assert reply.number == session.number
    assert reply.take == order.path
    assert_from_first(order.path, changed())


def test_the_copy_that_goes_on_next_is_made_ahead(session: Session) -> None:
    session.roll(QUAY)
    session.get_ready()
    ahead = session.copies
    order = session.begin(changed())
    assert set(ahead) <= set(session.copies)
    while session.supervisor.hear().of:
        pass
    # The one that has played ends with that.
    until(lambda: any(map(has_ended, ahead)))
    assert_from_first(order.path, changed())
    # Those of the first order go one by one, as the new ones come.
    until(lambda: all(map(has_ended, ahead)))
    session.get_ready()
    assert_from_first(session.roll(QUAY)[0], QUAY)


def test_copies_made_ahead_that_are_killed_are_done_without(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.get_ready()
    killed = session.copies
    for each in killed:
        os.kill(each, signal.SIGKILL)
    until(lambda: all(map(has_ended, killed)))
    for project in (changed(), changed(1.2)):
        path, first = session.roll(project)
        assert first
        assert_from_first(path, project)


def test_a_copy_is_not_made_ahead_again_and_again(session: Session) -> None:
    session.roll(QUAY)
    session.get_ready()
    for each in session.copies:
        os.kill(each, signal.SIGKILL)
    time.sleep(3 * snapshots.AHEAD_AFTER_MS / 1000)
    assert len(session.snapshots) == snapshots.MOST
    assert not session.copies


def test_a_resumed_take_that_cannot_be_written_is_said_and_the_next_is_played(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.rest()
    path = session.folder / "no.take"
    path.write_text("something else")
    session.number += 1
    order = order_of(changed(), path, LASTS_S)
    session.supervisor.say(order_line(session.number, order, keeps=True))
    while (reply := session.supervisor.hear()).of:
        pass
    assert "no take, so it is not replaced" in reply.error
    assert reply.take is None
    assert path.read_text() == "something else"
    assert_from_first(session.roll(changed())[0], changed())


def test_snapshots_without_use_are_ended_before_new_ones_are_made(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.rest()
    older = session.snapshots
    early = with_number(QUAY, NUMBERS[0], NUMBERS[0][-1] * 1.5)
    session.roll(early)
    until(lambda: sum(map(has_ended, older)) == len(older))
    session.rest()
    assert_from_first(session.roll(changed())[0], changed())


def test_the_first_player_is_killed_and_its_snapshots_with_it(
    session: Session,
) -> None:
    session.roll(QUAY)
    session.rest()
    (first,) = children(session.supervisor.process.pid)
    os.kill(first, signal.SIGKILL)
    until(
        lambda: children(session.supervisor.process.pid) not in ([first], [])
    )
    path, _ = session.roll(changed())
    assert_from_first(path, changed())


@pytest.mark.parametrize("is_killed", [True, False])
def test_nothing_is_left_behind(session: Session, is_killed: bool) -> None:
    session.roll(QUAY)
    session.get_ready()
    mine = [
        session.supervisor.process.pid,
        *children(session.supervisor.process.pid),
    ]
    mine += session.snapshots + session.copies
    if is_killed:
        os.kill(mine[0], signal.SIGKILL)
    else:
        assert session.supervisor.process.stdin is not None
        session.supervisor.process.stdin.close()
    session.supervisor.process.wait(PATIENCE_S)
    until(
        lambda: (
            not any(line.split()[0] in map(str, mine) for line in processes())
        )
    )


def test_a_resumed_take_can_be_stopped(session: Session) -> None:
    seconds = 110.0
    long = with_cues(QUAY, "dusk", 1900, [RaiseEvent(raises="thunder")])
    for project in (QUAY, long):
        session.number += 1
        path = session.folder / f"{session.number}.take"
        order = order_of(project, path, seconds)
        session.supervisor.say(order_line(session.number, order, keeps=True))
        if project is long:
            reply = session.supervisor.hear()
            assert reply.ticks > 500
            session.supervisor.say(stop_line(session.number, "enough"))
        while (reply := session.supervisor.hear()).of:
            pass
        if project is QUAY:
            session.rest()
    assert "enough at tick" in reply.error
    take = read_take(path)
    assert not take.is_complete
    shorter = order_of(long, session.folder / "alone.take", take.ticks / 20)
    alone = read_take(roll(shorter))
    assert alone.agents["brine"].rows == take.agents["brine"].rows
