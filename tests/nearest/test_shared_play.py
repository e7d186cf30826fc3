"""Trials that share their beginning: each is as if it had been played from its
first tick, and whatever happens to the processes, it is played.
"""

import os
import signal
from itertools import islice
from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.review.random_projects import RandomProject
from tests.small import project, row
from tests.waiting import until
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.values import KeyType
from umbrant.nearest.candidate import NumberCandidate
from umbrant.nearest.candidates import ChangeCandidates
from umbrant.nearest.shared_play import SharedPlay
from umbrant.nearest.trials import ran, trial_player
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.record import AgentRecord

SECONDS = 1.5


def order_of(made: Project, path: Path, seconds: float) -> RollOrder:
    return RollOrder(made, made.cover.scenario, path, seconds=seconds)


def changes(take: Take, agent: str, tick: int) -> list[Project]:
    """The project of a take with some of what would be tried for its rows."""
    explainer, found = Explainer(take, agent), []
    for row_id in explainer.outline.number:
        if ran(explainer.record.row(row_id), tick):
            continue
        for each in ChangeCandidates(explainer, tick, row_id).found():
            if isinstance(each, NumberCandidate):
                values = [*islice(each.tries(), 1), each.guess or each.was]
                found += [
                    each.place.put(take.header.project, value)
                    for value in values
                ]
            else:
                found.append(each.place.put(take.header.project))
    return found


def tables(record: AgentRecord) -> tuple[object, ...]:
    return record.rows, record.keys, record.received, record.raised


def check_same(
    made: Project, agent: str, seconds: float, folder: Path, most: int
) -> int:
    """Play changes of a project both ways; returns how many could share their
    beginning.
    """
    base = order_of(made, folder / "base.take", seconds)
    take = read_take(roll(base))
    tried = list(islice(changes(take, agent, take.last_tick), most))
    orders = [
        order_of(each, folder / f"{number}.take", seconds)
        for number, each in enumerate(tried)
    ]
    shared = SharedPlay(base, agent)
    try:
        done = shared.play(orders)
    finally:
        shared.close()
    for order, is_done in zip(orders, done, strict=True):
        if is_done:
            found = read_take(order.path, only=agent)
            order.path.unlink()
            wanted = read_take(roll(order), only=agent)
            assert found.header == wanted.header
            assert tables(found.agents[agent]) == tables(wanted.agents[agent])
    return sum(done)


def test_what_shares_its_beginning_is_as_if_it_had_not(
    tmp_path: Path,
) -> None:
    shared = 0
    for seed in range(24):
        made = RandomProject(seed).made
        if not any(
            each.kind == "last"
            for behavior in made.behaviors
            for each in behavior.rows
        ):
            shared += check_same(made, "a", SECONDS, tmp_path, 6)
    assert shared > 10


def test_changes_of_the_demo_share_their_beginning(tmp_path: Path) -> None:
    made = read_project(DEMO)
    assert check_same(made, "odo", 12.0, tmp_path, 8) >= 4


N = Key(name="n", type=KeyType.NUMBER, default=1.0)


def waiting() -> Project:
    """An agent that waits for a time, and then for a number."""
    return project(
        row("top", "selector"),
        row("go", "wait", "top", guard="time() > 0.55 and n > 2"),
        row("no", "wait", "top", duration=0.1),
        keys=(N,),
        seconds=1.0,
    )


def with_guard(made: Project, when: str) -> Project:
    rows = [
        each.model_copy(
            update={"guard": each.guard.model_copy(update={"when": when})}
        )
        if each.guard is not None
        else each
        for each in made.behaviors[0].rows
    ]
    first = made.behaviors[0].with_rows(rows)
    return made.model_copy(update={"behaviors": (first,)})


@pytest.mark.parametrize("whom", ["the play", "one of its copies"])
def test_what_is_killed_is_played_from_its_first_tick(
    tmp_path: Path, whom: str
) -> None:
    made = waiting()
    take = read_take(roll(order_of(made, tmp_path / "t.take", 1.0)))
    changed = with_guard(made, "time() > 0.55 and n > 0.5")
    # Tests before this one may have left some that stay.
    others = children(os.getpid())
    with trial_player(take.header, "a", 8, trusted=False) as player:
        (first,) = player.play([changed])
        shared = player._shared
        assert shared is not None
        until(lambda: shared.is_ready)
        (process,) = [
            each
            for each in children(os.getpid())
            if each not in others and children(each)
        ]
        killed = process if whom == "the play" else children(process)[-1]
        os.kill(killed, signal.SIGKILL)
        if whom != "the play":
            until(lambda: killed not in children(process))
        (second,) = player.play([changed])
        assert player.played == 2
        for trial in (first, second):
            assert trial is not None
            assert trial.runs("a", "go", 8)
    assert set(children(os.getpid())) <= set(others)


def test_what_begins_otherwise_is_played_from_its_first_tick(
    tmp_path: Path,
) -> None:
    made = waiting()
    base = order_of(made, tmp_path / "t.take", 1.0)
    member = made.scenarios[0].cast[0]
    scenario = made.scenarios[0].model_copy(
        update={"cast": (member.model_copy(update={"start": (9.0, 9.0)}),)}
    )
    moved = made.model_copy(update={"scenarios": (scenario,)})
    take = read_take(roll(base))
    shared = SharedPlay(base, "a")
    assert shared.play([order_of(moved, tmp_path / "m.take", 1.0)]) == [False]
    shared.close()
    with trial_player(take.header, "a", 5, trusted=False) as player:
        same, other = player.play([made, moved])
    assert same is not None
    assert other is not None
    assert tuple(other.take.poses["a"][0][:2]) == (9.0, 9.0)
    assert tuple(same.take.poses["a"][0][:2]) == member.start


def test_where_no_process_can_be_forked_trials_are_played_all_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*_: object) -> None:
        raise BlockingIOError(11, "Resource temporarily unavailable")

    made = waiting()
    take = read_take(roll(order_of(made, tmp_path / "t.take", 1.0)))
    monkeypatch.setattr("umbrant.nearest.trials.SharedPlay", refuse)
    with trial_player(take.header, "a", 8, trusted=False) as player:
        (trial,) = player.play([with_guard(made, "n > 0.5")])
    assert trial is not None
    assert trial.runs("a", "go", 8)


def children(process: int) -> list[int]:
    """The processes that one has started and that have not ended."""
    try:
        found = Path(f"/proc/{process}/task/{process}/children").read_text()
    except (FileNotFoundError, ProcessLookupError):
        return []
    return [int(each) for each in found.split() if runs(each)]


def runs(process: str) -> bool:
    """Whether a process has not ended."""
    try:
        return "(zombie)" not in Path(f"/proc/{process}/status").read_text()
    except (FileNotFoundError, ProcessLookupError):
        return False
