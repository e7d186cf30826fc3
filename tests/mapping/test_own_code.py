"""Decision maps of a project with code of its own, which may hang or end its
process.
"""

import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from tests.small import key, project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.mapping.asking import UNANSWERED, DecisionAsker
from umbrant.mapping.axes import MapSubject, read_axis
from umbrant.mapping.call_limit import CallLimit
from umbrant.model.behaviors import Key, NodeFile
from umbrant.model.values import KeyType
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

NODES = '''
import os
import pathlib
from umbrant.nodes import *

@condition("odd with {n}")
def odd(me: Agent, *, n: Number = 0.0) -> bool:
    """Hangs beyond 8, and ends its process beyond 10.

    n: what it is asked with
    """
    while 8 < n <= 10 or pathlib.Path(MARK).exists():
        pass
    if n > 10:
        os._exit(3)
    return n > 4
'''


def odd_take(tmp_path: Path) -> Take:
    """A take whose agent hangs once there is a file `mark`."""
    made = project(
        row("se", "selector"),
        row("od", "odd", "se", n=key("n")),
        row("ok", "wait", "se", duration=0.05),
        keys=(
            Key(name="n", type=KeyType.NUMBER, default=0.0),
            Key(name="m", type=KeyType.NUMBER, default=0.0),
        ),
        seconds=0.3,
    )
    text = NODES.replace("MARK", repr(str(tmp_path / "mark")))
    cover = made.cover.model_copy(update={"node_limit_s": 1.0})
    with_nodes = made.model_copy(
        update={
            "nodes": (NodeFile(name="mine.py", text=text),),
            "cover": cover,
        }
    )
    order = RollOrder(with_nodes, "s", tmp_path / "t.take", trusted=True)
    return read_take(roll(order))


def asker(take: Take) -> DecisionAsker:
    subject = MapSubject(take, "a", 0, BUILTIN)
    axes = read_axis("n=0:16", subject, "x"), read_axis("m=0:1", subject, "y")
    return DecisionAsker(subject, axes, CallLimit(1.0), trusted=True)


def leads(made: DecisionAsker, numbers: Sequence[float]) -> list[str]:
    return [each.lead for each in made.ask([(n, 0.5) for n in numbers])]


def test_a_node_that_hangs_or_ends_its_process_costs_its_place_alone(
    tmp_path: Path,
) -> None:
    found = leads(asker(odd_take(tmp_path)), [1.0, 9.0, 12.0, 5.0, 2.0])
    assert found == ["ok", UNANSWERED, UNANSWERED, "od", "ok"]


def test_a_machine_that_is_busy_costs_no_place(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Only code of the project's own has a limit, not what else a tick takes
    before it, after it, or between two calls.
    """
    made = asker(odd_take(tmp_path))
    decide = made._play.decide

    def slowly(*more: Any) -> None:
        time.sleep(1.2)
        decide(*more)
        time.sleep(1.2)

    monkeypatch.setattr(made._play, "decide", slowly)
    assert leads(made, [1.0, 5.0]) == ["ok", "od"]


def test_a_node_that_hangs_on_the_way_to_the_tick_is_named(
    umbrant: Any, tmp_path: Path
) -> None:
    take = odd_take(tmp_path)
    ask = ("map", take.path, "--agent", "a", "--at", "0.2", "--trust")
    axes = ("--x", "n=11:16", "--y", "m=0:1")
    code, said, err = umbrant(*ask, *axes)
    assert (code, "100.0 %  ?" in said) == (0, True)
    assert "Where '?' stands nothing came back." in err
    (tmp_path / "mark").touch()
    code, said, err = umbrant(*ask, *axes)
    assert (code, said) == (1, "")
    assert "nodes/mine.py, line 7: `odd` (a, row 1.1" in err
    assert "did not come back within 1 s" in err
