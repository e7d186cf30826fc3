"""Generated source: it is shown in tracebacks, forgotten with its code, and
fits what it touches.
"""

import ast
import gc
import linecache
import traceback
from types import SimpleNamespace
from typing import Any

import pytest

from umbrant.catalog.causes import Cause
from umbrant.catalog.codegen import path
from umbrant.catalog.codegen.expression import GeneratedExpression
from umbrant.catalog.codegen.functions import compile_maker
from umbrant.catalog.codegen.path import (
    REPORTED_STEP,
    STEP,
    TICK,
    SteppedWork,
    generate_path,
)
from umbrant.catalog.protocols import (
    NO_REFUSAL_LOG,
    RUNNING,
    GuardTakeOver,
    GuardWhileRunning,
    Status,
    TimedCheck,
    Unbound,
)


def test_a_line_of_generated_source_stands_in_the_traceback() -> None:
    make = compile_maker(
        "def make(x):\n    def f():\n        return x / 0\n    return f\n",
        "sum",
        {},
    )
    with pytest.raises(ZeroDivisionError) as failed:
        make(1)()
    text = "".join(traceback.format_exception(failed.value))
    assert "<generated sum " in text
    assert "return x / 0" in text


def test_the_lines_are_kept_as_long_as_a_function_made_from_them() -> None:
    source = (
        "def make(x):\n    def f():\n        return x + 41\n    return f\n"
    )
    function = compile_maker(source, "sum", {})(1)
    name = function.__code__.co_filename
    gc.collect()
    assert name in linecache.cache
    linecache.checkcache(name)
    assert linecache.getline(name, 3) == "        return x + 41\n"
    assert function() == 42
    del function
    gc.collect()
    assert name not in linecache.cache


def attributes(source: str, of: str) -> set[str]:
    """The attributes that a source takes of a name."""
    tree = ast.parse(source)
    return {
        node.attr
        for node in ast.walk(tree)
        if isinstance(node, ast.Attribute)
        and isinstance(node.value, ast.Name)
        and node.value.id == of
    }


@pytest.mark.parametrize("end", [TICK, STEP, REPORTED_STEP])
def test_a_path_takes_nothing_of_its_end_but_what_the_protocol_has(
    end: Any,
) -> None:
    body = "\n".join(f"        {line}" for line in end.lines.splitlines())
    source = f"def f():\n    {end.begins}\n    while True:\n{body}\n"
    known = {*dir(SteppedWork), *SteppedWork.__annotations__, "cause"}
    assert attributes(source, "end") <= known


@pytest.mark.parametrize(
    ("lines", "check"),
    [
        (path._TIMED, TimedCheck),
        (path._WHILE_RUNNING, GuardWhileRunning),
        (path._TAKE_OVER, GuardTakeOver),
        (path._RECORDED_TAKE_OVER, GuardTakeOver),
    ],
)
def test_the_lines_of_a_check_use_its_own_fields_alone(
    lines: str, check: Any
) -> None:
    source = lines.replace("{result}", "result").replace("{n}", "")
    source = source.replace("{at}", "0")
    tree = ast.parse(
        "while True:\n"
        + "\n".join(f"    {line}" for line in source.splitlines())
    )
    names = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    assert names - {"now_s", "me", "status", "result", "index"} <= set(
        check._fields
    )


class Question:
    """A condition that asks one function, as a check is given it."""

    def __init__(self, ask: Any) -> None:
        self.expression = GeneratedExpression(
            "v1{n} = ask{n}()", "v1{n} is True", {"ask{n}": ask}
        )
        self.evaluate = ask


@pytest.mark.parametrize("form", [TICK, STEP, REPORTED_STEP])
@pytest.mark.parametrize("fails", range(4))
@pytest.mark.parametrize("by", ["it has no value", "it ends its row"])
def test_a_path_says_at_which_of_its_wrappers_it_has_come_to_an_end(
    form: Any, fails: int, by: str
) -> None:
    """Whatever is called on the way down: a check's action, a condition, what
    follows from it, the work itself.
    """

    def at(index: int, value: Any) -> Any:
        def called(*_: Any) -> Any:
            if index != fails:
                return value
            if by == "it has no value":
                raise Unbound(Cause("unfilled"))
            return Status.FAILURE

        return called

    ends = by == "it ends its row"
    # A guard that does not hold has its row end.
    held = at(2, True) if not ends else (lambda: fails != 2)
    checks: list[tuple[int, Any]] = [
        (0, TimedCheck(SimpleNamespace(due_s=1.0), at(0, None))),
        (
            1,
            GuardTakeOver(
                Question(at(1, False) if not ends else lambda: fails == 1),
                SimpleNamespace(reason=None),
                at(1, None),
                at(-1, None),
                None,
                NO_REFUSAL_LOG,
            ),
        ),
        (2, GuardWhileRunning(Question(held), at(2, None))),
    ]
    work = SimpleNamespace(
        tick=at(3, RUNNING),
        board=SimpleNamespace(writer=None),
        writer=("row", ""),
        step=None,
        progressed=at(-1, None),
    )
    go_on = generate_path(
        checks,
        work,
        form,
        3,
        lambda _, index, status: ("ended", index, status),
        lambda _, index, unbound: (index, Status.FAILURE),
    )
    me: Any = SimpleNamespace(world=SimpleNamespace(now_s=2.0))
    assert go_on(me) == ("ended", fails, Status.FAILURE)
