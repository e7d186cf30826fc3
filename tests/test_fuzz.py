"""A short run of each attack: the long ones are `python -m benchmarks.fuzz`."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from benchmarks.fuzz import (
    commands,
    conditions,
    documents,
    faults,
    takes,
    untrusted,
)
from benchmarks.fuzz.nodes import Conversation
from benchmarks.fuzz.tally import Tally
from benchmarks.fuzz.untrusted import lay, traps

from umbrant.model.folder import read_project
from umbrant.rolling.roll import RollOrder


@pytest.mark.parametrize(
    ("attack", "attempts"),
    [
        (documents.attack, 250),
        (conditions.attack, 350),
        (takes.attack, 100),
        (faults.attack, 80),
        (commands.attack, 30),
    ],
)
def test_nothing_that_is_broken_breaks_the_program(
    attack: Callable[[int, int, Path, Tally], Tally],
    attempts: int,
    tmp_path: Path,
    own_folders: Path,
) -> None:
    tally = attack(attempts, 7, tmp_path, Tally())
    assert tally.failures == []
    assert tally.attempts == attempts


@pytest.mark.parametrize(("what", "attempts"), [("saves", 40), ("windows", 4)])
def test_an_attack_in_a_process_of_its_own_finds_nothing(
    what: str, attempts: int
) -> None:
    """Killing processes that save wants one without threads to fork them; a
    window wants one of its own.
    """
    command = [
        sys.executable,
        "-m",
        "benchmarks.fuzz",
        what,
        "--attempts",
        str(attempts),
    ]
    done = subprocess.run(command, capture_output=True, text=True, timeout=300)
    assert (
        done.stdout.splitlines()[-1]
        == f"{what}: attempts {attempts} failures 0"
    ), done.stderr


def test_no_code_of_an_untrusted_project_runs(tmp_path: Path) -> None:
    tally = untrusted.attack(tmp_path, Tally())
    assert tally.failures == []
    assert tally.attempts > 100


def test_the_same_code_leaves_its_mark_once_it_is_trusted(
    tmp_path: Path,
) -> None:
    trap = next(each for each in traps() if each.name == "code at the top")
    place, mark = lay(trap, tmp_path / "trap")
    with Conversation(tmp_path) as supervisor:
        supervisor.roll(
            RollOrder(
                read_project(place), "s", tmp_path / "t.take", trusted=True
            )
        )
    assert mark.exists()
