"""Behaviors inside a game: its own world, its own nodes, and a take that can
be opened.
"""

import io
import runpy
import signal
import sys
from pathlib import Path

import pytest

from tests.small import key, project, row
from umbrant import Agents, PlainBody, PlainWorld, load_behavior
from umbrant.catalog.world import BodyView, World
from umbrant.model.behaviors import Key, Sharing
from umbrant.model.folder import save_project
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Member
from umbrant.model.values import KeyType
from umbrant.reasons.why import Explainer
from umbrant.take.reader import read_take

EXAMPLES = Path(__file__).parents[1] / "examples"
N = Key(name="n", type=KeyType.NUMBER, default=0.0, scope=Sharing.WORLD)


def saved(tmp_path: Path, *rows: object) -> Path:
    folder = tmp_path / "p"
    save_project(project(*rows, keys=(N,)), folder)  # type: ignore[arg-type]
    return folder


def test_a_behavior_runs_in_any_loop(tmp_path: Path) -> None:
    folder = saved(
        tmp_path,
        row("ss", "sequence"),
        row("gg", "move_to", "ss", target=(5.0, 0.0), reach=0.1),
    )
    world: World = PlainWorld(tick_s=0.5)
    assert isinstance(world, PlainWorld)
    body: BodyView = world.add(PlainBody("a", (0.0, 0.0)))
    mind = load_behavior(folder, "b", world, name="a")
    for _ in range(9):
        mind.tick()
        world.now_s += world.tick_s
    assert body.place == pytest.approx((5.0, 0.0), abs=0.11)


def test_a_place_that_a_game_changes_in_place_is_recorded_as_it_moves(
    tmp_path: Path,
) -> None:
    folder, world = (
        saved(tmp_path, row("w1", "wait", duration=9.0)),
        PlainWorld(tick_s=0.5),
    )
    body = world.add(PlainBody("a", (0.0, 0.0)))
    place = [0.0, 0.0]
    body.place = place  # type: ignore[assignment]
    mind = load_behavior(
        folder, "b", world, name="a", record=tmp_path / "t.take"
    )
    for step in range(4):
        place[0] = float(step)
        mind.tick()
    mind.close()
    assert read_take(tmp_path / "t.take").poses["a"][:, 0].tolist() == [
        0.0,
        1.0,
        2.0,
        3.0,
    ]


def test_several_agents_share_keys_and_hear_events(tmp_path: Path) -> None:
    folder = saved(
        tmp_path,
        row("mm", "machine"),
        row("aa", "state", "mm"),
        row("t1", "on_event", "aa", event="bell", to="bb"),
        row("bb", "state", "mm"),
        row("c1", "count", "bb", key=key("n"), amount=1),
    )
    (folder / "events.json").write_text('{"events": [{"name": "bell"}]}')
    world = PlainWorld()
    members = [
        Member(name=name, behavior="b", start=(0, 0)) for name in ("a", "c")
    ]
    for member in members:
        world.add(PlainBody(member.name, member.start))
    with Agents(folder, world, members) as agents:
        agents.tick()
        assert agents.get("a", "n") == 0.0
        agents.raise_event("bell")
        agents.tick()
        assert agents.get("a", "n") == 2.0
        agents.set("c", "n", 7.0)
        assert agents.get("a", "n") == 7.0


def test_what_is_wrong_with_the_project_is_told(tmp_path: Path) -> None:
    folder = saved(tmp_path, row("ss", "sequense"))
    with pytest.raises(ProjectError, match="Did you mean 'sequence'"):
        load_behavior(folder, "b", PlainWorld(), name="a")


def test_the_example_game_plays_and_its_take_can_be_asked(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "argv", ["game.py", "--watch"])
    runpy.run_path(str(EXAMPLES / "own-game" / "game.py"), run_name="__main__")
    output = capsys.readouterr().out
    assert "The rat: Squeak!" in output
    assert "The rat ate 3 crumbs" in output
    take = read_take(tmp_path / "cellar.take")
    assert (take.is_complete, take.ticks) == (True, 60)
    answer = Explainer(take, "rat").why(20).text
    assert (
        "Out of the light was refused: light of lantern on it is 0.08, not above 0.15"
        in answer
    )


@pytest.mark.parametrize("last", ["q\n", ""])
def test_the_example_game_can_be_played_by_hand(
    last: str,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "argv", ["game.py"])
    monkeypatch.setattr("sys.stdin", io.StringIO(f"d\nd\nnonsense\n{last}"))
    runpy.run_path(str(EXAMPLES / "own-game" / "game.py"), run_name="__main__")
    assert ".....@.." in capsys.readouterr().out
    assert read_take(tmp_path / "cellar.take").ticks == 3


SPINS = '''
from umbrant.nodes import *

@action("hum into {key}")
def hum(me: Agent, key: NumberKey):
    """Hums.

    key: counts up
    """
    key.set((key.value or 0) + 1)
    return True
'''


def test_no_signal_and_no_timer_of_a_game_is_touched(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = saved(tmp_path, row("hh", "hum", key=key("n")))
    (folder / "nodes").mkdir()
    (folder / "nodes" / "mine.py").write_text(SPINS)
    touched: list[str] = []
    for name in ("signal", "setitimer", "alarm", "pthread_sigmask"):
        monkeypatch.setattr(
            signal, name, lambda *_, name=name: touched.append(name)
        )
    world = PlainWorld(tick_s=0.5)
    world.add(PlainBody("a", (0.0, 0.0)))
    mind = load_behavior(folder, "b", world, name="a", trust=True)
    for _ in range(3):
        mind.tick()
    assert mind.get("a", "n") == 3.0
    assert touched == []
