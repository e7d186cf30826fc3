"""A path as one straight-line function: the checks on the way down, then the work at the end.

    def make(end, unwind, fail_unbound, question0, no0, v1_0, …):
        def go_on(me):
            now_s = me.world.now_s
            try:
                while True:                     # left by `break` with a status, or by `return`
                    v1_0 = …                    # the lines of a guard's condition
                    if not v1_0:
                        status = no0(me)
                        if status is not None:
                            index = 0           # which wrapper's check this is
                            break
                    status = tick(me)           # the work at the end
                    index = 1
                    break
            except Unbound as unbound:
                index = INDICES[line_of(unbound)]
                index, status = fail_unbound(me, index, unbound)
            return status if status is RUNNING else unwind(me, index, status)
        return go_on

The source is put together from the forms below and from conditions, and compiled once for each
form: agents of one behavior have most of their paths in common. What is an agent's own is bound to
the names.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache
from textwrap import indent
from typing import NamedTuple, Protocol

from umbrant.catalog.codegen.functions import compile_maker
from umbrant.catalog.language.atom_results import HELPERS
from umbrant.catalog.protocols import (
    NO_REFUSAL_LOG,
    RUNNING,
    GateCheck,
    GuardTakeOver,
    GuardWhileRunning,
    Progress,
    Status,
    TimedCheck,
    Unbound,
    Work,
)
from umbrant.catalog.world import Me

PathFunction = Callable[[Me], Status]
"""Goes on with a row for one tick, and returns the row's status."""

Unwind = Callable[[Me, int, Status], Status]
"""Called as `unwind(me, index, status)` when what is at an index has ended:
hands the status to the wrappers around it, the innermost first, and returns
the row's status.
"""

FailUnbound = Callable[[Me, int, Unbound], tuple[int, Status]]
"""Called when something at an index has no value now: the index of the row
that fails by it, and its status.
"""


class KeyWriter(Protocol):
    """The blackboard, as far as a path writes to it."""

    writer: tuple[str, str]
    """The row and the part on whose account keys are written."""


class SteppedWork(Work, Protocol):
    """Work that takes a step at each tick: what STEP and REPORTED_STEP use of
    the path's end.
    """

    step: Callable[[None], Progress | None] | None
    """Takes the next step; None before the first."""
    last_progress: Progress | None
    """The progress that was reported last."""
    progressed: Callable[[Progress], None]
    """Reports progress."""

    @property
    def board(self) -> KeyWriter: ...
    @property
    def writer(self) -> tuple[str, str]: ...
    def ended(self, result: object) -> Status:
        """The status of the row for the value that its function returned."""

    def fail_unbound(self, unbound: Unbound) -> Status:
        """The status for an argument that has no value."""


_PATH = """\
def make(end, unwind, fail_unbound, {names}):
    {begins}
    def go_on(me):
        {clock}
        try:
            while True:
{lines}
        except Unbound as unbound:
            index = INDICES[line_of(unbound)]
            index, status = fail_unbound(me, index, unbound)
        return status if status is RUNNING else unwind(me, index, status)
    return go_on
"""

_CLOCK = "now_s = me.world.now_s"

_TIMED = """\
if now_s >= deadline{n}.due_s:
    status = action{n}(me)
    if status is not None:
        index = {at}
        break"""
_WHILE_RUNNING = """\
if not {result}:
    status = no{n}(me)
    if status is not None:
        index = {at}
        break"""
_TAKE_OVER = """\
if {result}:
    status = yes{n}(me)
    if status is not None:
        index = {at}
        break
elif gate{n}.reason is not reason{n}:
    no{n}(me)"""
_RECORDED_TAKE_OVER = f"""\
{_TAKE_OVER}
else:
    refused{{n}}.until = refused{{n}}.clock.tick"""
"""The same where refusals are recorded. A refusal that goes on is extended rather than reported
again: it is the same at most ticks, and a call for each costs more than all the rest of the check.
"""

_FIRST_LINE = _PATH.splitlines().index("{lines}") + 1
"""The number of the first line of the checks: lines are counted from 1 on."""

_NAMES = {
    check: tuple(f"{field}{{n}}" for field in check._fields)
    for check in (TimedCheck, GuardWhileRunning, GuardTakeOver)
}
"""The names that stand for the fields of each check."""


class PathEnd(NamedTuple):
    """How the work at the end of a path goes on: the line that binds its names
    once, and the lines for each tick.
    """

    begins: str
    lines: str


TICK = PathEnd(
    "tick = end.tick",
    """\
status = tick(me)
index = {at}
break""",
)
"""Any work: its `tick` is called."""

STEP = PathEnd(
    "tick, board, writer = end.tick, end.board, end.writer",
    """\
step = end.step
if step is None:
    status = tick(me)
    index = {at}
    break
board.writer = writer
try:
    progress = step(None)
except StopIteration as stop:
    status = end.ended(stop.value)
    index = {at}
    break
except Unbound as unbound:
    status = end.fail_unbound(unbound)
    index = {at}
    break
return RUNNING""",
)
"""SteppedWork: its step is taken in the path itself, once it has begun."""

REPORTED_STEP = PathEnd(
    f"{STEP.begins}; progressed = end.progressed",
    STEP.lines.replace(
        "return RUNNING",
        """\
if progress is not end.last_progress and progress is not None:
    end.last_progress = progress
    progressed(progress)
return RUNNING""",
    ),
)
"""The same where progress is recorded. The same object again means that it
goes on as it did.
"""


class _Form(NamedTuple):
    """How a check is written: the lines of its condition, their result, the
    lines that act on it, and the names in all of them.
    """

    condition: str
    result: str
    lines: str
    names: tuple[str, ...]

    def numbered(self, number: int) -> str:
        """The lines for the check with this number in the path."""
        text = self.lines.replace("{result}", self.result)
        if self.condition:
            text = f"{self.condition}\n{text}"
        return text.replace("{n}", str(number))


def generate_path(
    checks: Sequence[tuple[int, GateCheck]],
    end: Work,
    form: PathEnd,
    index: int,
    unwind: Unwind,
    fail_unbound: FailUnbound,
) -> PathFunction:
    """A function that does these checks, each with the index of its wrapper,
    and then goes on with `end`, which is at `index`. For STEP and
    REPORTED_STEP `end` is SteppedWork.
    """
    make = _maker(
        tuple((at, _form(check)) for at, check in checks), index, form
    )
    values = (value for _, check in checks for value in _values(check))
    path: PathFunction = make(end, unwind, fail_unbound, *values)
    return path


def _form(check: GateCheck) -> _Form:
    if isinstance(check, TimedCheck):
        return _Form("", "", _TIMED, _NAMES[TimedCheck])
    if isinstance(check, GuardWhileRunning):
        lines = _WHILE_RUNNING
    elif check.refused is NO_REFUSAL_LOG:
        lines = _TAKE_OVER
    else:
        lines = _RECORDED_TAKE_OVER
    condition = check.question.expression
    names = (*_NAMES[type(check)], *condition.bound)
    return _Form(condition.lines, condition.test, lines, names)


def _values(check: GateCheck) -> tuple[object, ...]:
    """What the names in a check's form stand for, in their order."""
    if isinstance(check, TimedCheck):
        return check
    return (*check, *check.question.expression.bound.values())


@lru_cache(maxsize=4096)
def _maker(
    checks: tuple[tuple[int, _Form], ...], index: int, end: PathEnd
) -> Callable[..., PathFunction]:
    """Compiled makers by the form of their paths."""
    parts = [
        (at, form.numbered(number)) for number, (at, form) in enumerate(checks)
    ]
    lines: list[str] = []
    indices: list[int] = []
    for at, part in [*parts, (index, end.lines)]:
        written = part.replace("{at}", str(at)).splitlines()
        lines += written
        indices += [at] * len(written)
    names = ", ".join(
        name.replace("{n}", str(number))
        for number, (_, form) in enumerate(checks)
        for name in form.names
    )
    clock = "pass"
    if any("now_s" in line for line in lines):
        clock = _CLOCK
    source = _PATH.format(
        names=names,
        begins=end.begins,
        clock=clock,
        lines=indent("\n".join(lines), " " * 16),
    )
    return compile_maker(
        source,
        "path",
        {
            **HELPERS,
            "Unbound": Unbound,
            "RUNNING": RUNNING,
            "INDICES": (None,) * _FIRST_LINE + tuple(indices),
            "line_of": _line_of,
        },
    )


def _line_of(unbound: Unbound) -> int:
    """The line of the path in which something was called that raised it."""
    # To note at each tick which check comes next would cost more than many a
    # check itself. The traceback of what is caught begins where it is caught.
    caught = unbound.__traceback__
    return caught.tb_lineno if caught is not None else 0
