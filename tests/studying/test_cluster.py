"""A study on a cluster: a real scheduler and two workers, of which one is
killed.
"""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.waiting import PATIENCE_S, until
from umbrant.catalog.validation import open_project
from umbrant.rolling.roll import RollOrder, roll
from umbrant.studying import cluster
from umbrant.studying.cluster import TakeOrder, counted_on_cluster
from umbrant.studying.counts import CountedTake, count_take
from umbrant.studying.study import StudyError
from umbrant.take.reader import read_take

DASK = str(Path(sys.executable).with_name("dask"))


@dataclass
class Cluster:
    """A scheduler and its workers, as processes of this machine."""

    address: str
    workers: list[subprocess.Popen[bytes]]


@pytest.fixture(scope="module")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    """A scheduler with two workers that have registered. The last test that
    has it kills one.
    """
    tmp_path = tmp_path_factory.mktemp("cluster")
    place, environment = (
        tmp_path / "scheduler.json",
        {**os.environ, "HOME": str(tmp_path)},
    )
    started: list[subprocess.Popen[bytes]] = []

    def start(*arguments: str) -> subprocess.Popen[bytes]:
        process = subprocess.Popen(
            [
                DASK,
                *arguments,
                "--scheduler-file",
                str(place),
                "--no-dashboard",
            ],
            env=environment,
            cwd=tmp_path,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        started.append(process)
        return process

    start("scheduler", "--host", "127.0.0.1", "--port", "0")
    workers = [
        start("worker", "--nthreads", "1", "--no-nanny") for _ in range(2)
    ]
    try:
        yield Cluster(_address(place, workers), workers)
    finally:
        for process in started:
            process.kill()
        for process in started:
            process.wait()


def _address(place: Path, workers: list[subprocess.Popen[bytes]]) -> str:
    from distributed import Client

    until(lambda: place.exists() and place.read_text().strip())
    address = str(json.loads(place.read_text())["address"])
    make: type = Client
    with make(address, set_as_default=False) as client:
        client.wait_for_workers(len(workers), timeout=PATIENCE_S)
    return address


def orders(seeds: range) -> list[TakeOrder]:
    """Takes of the first steps, with these seeds."""
    project = open_project(DEMO.parent / "first-steps")
    return [
        TakeOrder(project, project.cover.scenario, seed, False)
        for seed in seeds
    ]


def played_here(each: TakeOrder, folder: Path) -> CountedTake:
    path = folder / f"{each.seed}.take"
    return count_take(
        read_take(
            roll(RollOrder(each.project, each.scenario, path, each.seed))
        )
    )


def test_a_take_that_cannot_be_played_costs_that_take(
    running: Cluster,
) -> None:
    good = orders(range(1, 3))
    broken = good[0].project.model_copy(update={"scenarios": ()})
    bad = TakeOrder(broken, "nowhere", 1, False)
    found = list(counted_on_cluster(running.address, [good[0], bad, good[1]]))
    assert [isinstance(each, CountedTake) for each in found] == [
        True,
        False,
        True,
    ]
    assert "nowhere" in str(found[1])


def test_a_cluster_counts_as_this_machine_does_though_a_worker_is_killed(
    running: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(cluster, "BATCH", 2)
    wanted, found = orders(range(1, 17)), []
    for counted in counted_on_cluster(running.address, wanted):
        found.append(counted)
        if len(found) == 2:
            running.workers[0].kill()
    assert [str(each) for each in found if isinstance(each, str)] == []
    few = [0, 7, 15]
    assert [found[place] for place in few] == [
        played_here(wanted[place], tmp_path) for place in few
    ]


def test_where_no_scheduler_answers_the_way_out_is_told(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(cluster, "REACHED_S", 1)
    with pytest.raises(
        StudyError, match=r"no scheduler answers there .*`dask scheduler`"
    ):
        list(counted_on_cluster("tcp://127.0.0.1:9", orders(range(1, 2))))


def test_without_dask_it_says_what_to_install(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setitem(sys.modules, "distributed", None)
    with pytest.raises(StudyError, match="extra `cluster`"):
        list(counted_on_cluster("tcp://127.0.0.1:9", orders(range(1, 2))))


def test_dask_is_where_the_tests_look_for_it() -> None:
    assert shutil.which(DASK)
