"""`umbrant branch`."""

import json
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import DEMO
from umbrant.model.folder import read_project
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take


@pytest.fixture(scope="module")
def parent(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Twelve seconds of the demo at dusk."""
    path = tmp_path_factory.mktemp("parent") / "dusk.take"
    return roll(RollOrder(read_project(DEMO), "dusk", path, seconds=12))


@pytest.fixture
def umbrant(umbrant: Any) -> Any:
    return lambda *args: umbrant("branch", *args)


def test_a_branch_says_what_was_done_and_what_came_of_it(
    umbrant: Any, parent: Path
) -> None:
    code, out, err = umbrant(
        parent, "--at", "9.9", "--agent", "odo", "--hold", "1.1", "refused"
    )
    assert (code, err) == (0, "")
    assert out.startswith("From 9.90 s (tick 198) on: hold 1.1 at refused.")
    assert (
        "They part at 10.30 s (tick 206), at Odo’s Escort the visitor." in out
    )
    assert "Escort the visitor was refused: it is held back by a cue." in out
    path = Path(out.splitlines()[-1].removeprefix("The branch is in "))
    assert path == parent.with_name("dusk-branch-198.take")
    assert read_take(path).header.branched_at == 198


def test_all_that_can_be_done_at_once_as_json(
    umbrant: Any, parent: Path, tmp_path: Path
) -> None:
    code, out, err = umbrant(
        *(parent, "--at", "5", "--set", "alarm=0.8", "--raise", "thunder"),
        *("--move", "visitor", "12,4", "--do", "hold 1.2 at failure"),
        *("--out", tmp_path / "b.take", "--json"),
    )
    assert (code, err) == (0, "")
    data = json.loads(out)
    assert data["tick"] == data["first"]["tick"] == 100
    assert {"odo", "visitor"} <= set(data["agents"])
    cues = read_take(tmp_path / "b.take").header.played.cues[-4:]
    assert {type(each.does).__name__ for each in cues} == {
        *("SetKey", "RaiseEvent", "MoveTo", "HoldResult"),
    }


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("--at", "90"), "the take ends at 11.95 s; branch off before that"),
        (
            ("--at", "5", "--set", "alarm=7"),
            "alarm cannot be 7: it goes from 0 up to 1.",
        ),
        (
            ("--at", "5", "--hold", "9.9", "failure"),
            "odo has no row '9.9'. There are: Keep the quay, ",
        ),
        (
            ("--at", "5", "--agent", "nobody"),
            "there is no 'nobody' in this take",
        ),
        (("--at", "5", "--do", "dance"), "is nothing that can be done here"),
        (
            ("--at", "5", "--out", "{parent}"),
            "a branch cannot take its parent's place",
        ),
    ],
)
def test_what_cannot_be_done_is_refused(
    umbrant: Any, parent: Path, arguments: tuple[str, ...], said: str
) -> None:
    before = parent.read_bytes()
    code, out, err = umbrant(
        parent, *(each.format(parent=parent) for each in arguments)
    )
    assert (code, out) == (1, "")
    assert said in err
    assert parent.read_bytes() == before
