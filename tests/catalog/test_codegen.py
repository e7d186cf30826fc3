"""Generated source: it is shown in tracebacks, forgotten with its code, and
fits what it touches.
"""

import ast
import gc
import linecache
import traceback
from typing import Any

import pytest

from umbrant.catalog.codegen import path
from umbrant.catalog.codegen.functions import compile_maker
from umbrant.catalog.codegen.path import REPORTED_STEP, STEP, TICK, SteppedWork
from umbrant.catalog.protocols import (
    GuardTakeOver,
    GuardWhileRunning,
    TimedCheck,
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
    tree = ast.parse(
        "while True:\n"
        + "\n".join(f"    {line}" for line in source.splitlines())
    )
    names = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    assert names - {"now_s", "me", "status", "result"} <= set(check._fields)
