"""Going on with what runs: the shortest way from a row down to the work that is being done.

Most ticks change nothing: a few guards are asked, and the innermost work goes on. A path is one straight-line function
that does what such a tick does, in the order in which the rows themselves would, so that composites and decorators are
not asked each time what they are at. When something does come to an end, each of those around it says in turn what it
makes of that.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache
from textwrap import indent
from typing import Any, NamedTuple, Protocol, cast

from umbrant.catalog.language.found import HELPERS
from umbrant.catalog.work import (
    RUNNING,
    UNHEARD,
    Awaited,
    Check,
    Kept,
    Passing,
    Status,
    Timed,
    Unbound,
    Work,
)
from umbrant.catalog.world import Me
from umbrant.engine.leaf import LastingLeaf

GoOn = Callable[[Me], Status]
"""Goes on with a row for one tick; gives what the row comes to."""


class Strays(Protocol):
    """A row that goes on along a path."""

    def stray(self) -> None:
        """The path may no longer be the right one."""


class Pulse:
    """Beats each time one of an agent's rows is entered or left: a path is good for as long as it has not."""

    def __init__(self) -> None:
        self.on_paths: list[Strays] = []
        """The rows that go on along a path, and must find another at the next beat."""

    def beat(self) -> None:
        """A row has been entered or left."""
        for row in self.on_paths:
            row.stray()
        self.on_paths.clear()


class Paths:
    """The paths that lead on from a row, by the work at their ends: what lies between is always the same."""

    def __init__(self) -> None:
        self._known: dict[object, GoOn] = {}

    def find(self, top: Passing) -> GoOn:
        """The path down to what is active now."""
        end: object = top
        while isinstance(end, Passing) and (inner := end.inside()) is not None:
            end = inner
        known = self._known.get(end)
        if known is None:
            known = self._known[end] = _path(_passed(top, end), cast(Work, end))
        return known


def _passed(top: Passing, end: object) -> Sequence[Passing]:
    """What is passed on the way down, the outermost first."""
    passed: list[Passing] = []
    at: object = top
    while at is not end:
        passed.append(cast(Passing, at))
        at = passed[-1].inside()
    return passed


def _path(passed: Sequence[Passing], end: Work) -> GoOn:
    """What goes on with `end`, and with what is passed on the way to it, the outermost first."""

    def outwards(me: Me, place: int, status: Status) -> Status:
        """What was at a place has come to a status: what becomes of those around it, the innermost first."""
        while place and status is not RUNNING:
            place -= 1
            try:
                status = passed[place].after(me, status)
            except Unbound as unbound:
                place, status = gave_out(me, place, unbound)
        return status

    def gave_out(me: Me, place: int, unbound: Unbound) -> tuple[int, Status]:
        """Something at a place was unbound: the row that this is in fails."""
        for outer in range(min(place, len(passed) - 1), -1, -1):
            status = passed[outer].gave_out(me, unbound.reason)
            if status is not None:
                return outer, status
        raise unbound

    checks = [(place, check) for place, passing in enumerate(passed) for check in passing.checks()]
    make = _maker(tuple((place, _form(check)) for place, check in checks), len(passed), _end_lines(end))
    return make(end, outwards, gave_out, *(part for _, check in checks for part in _parts(check)))


class _Form(NamedTuple):
    """How a check is written out: the condition that it begins with, what comes of that, and the names in both.

    What is a check's own has `{n}` in its name. `{gives}` is what the condition comes to.
    """

    condition: str
    gives: str
    lines: str
    names: tuple[str, ...]

    def numbered(self, number: int) -> str:
        """The lines for the check with this number."""
        written = f"{self.condition}\n{self.lines.replace('{gives}', self.gives)}"
        return written.replace("{n}", str(number))


_TIMED = """\
if now_s >= due{n}.due_s:
    status = look{n}(me)
    if status is not None:
        break"""
_KEPT = """\
if not ({gives}):
    status = no{n}(me)
    if status is not None:
        break"""
_UNTOLD = """\
if {gives}:
    status = yes{n}(me)
    if status is not None:
        break
elif chance{n}.reason is not reason{n}:
    no{n}(me)"""
_TOLD = (
    _UNTOLD
    + """
else:
    refused{n}.last.end = refused{n}.clock.tick"""
)
_TICK = """\
status = tick(me)
break"""
_STEP = """\
step = end.step
if step is None:
    status = tick(me)
    break
board.writer = writer
try:
    told = step(None)
except StopIteration as stop:
    status = end.ended(stop.value)
    break
except Unbound as unbound:
    status = end.gave_out(unbound)
    break"""
_UNTOLD_STEP = (
    _STEP
    + """
return RUNNING"""
)
_TOLD_STEP = (
    _STEP
    + """
if told is not end.told and told is not None:
    end.told = told
    progressed(told)
return RUNNING"""
)
_PATH = """
def make(end, outwards, gave_out, {names}):
    tick, board, writer = end.tick, getattr(end, "board", None), getattr(end, "writer", None)
    progressed = getattr(end, "progressed", None)
    def go_on(me):
        now_s = me.world.now_s
        place = 0
        try:
            while True:
{lines}
        except Unbound as unbound:
            place, status = gave_out(me, place, unbound)
        return status if status is RUNNING else outwards(me, place, status)
    return go_on
"""


def _form(check: Check) -> _Form:
    if isinstance(check, Timed):
        return _Form("", "", _TIMED, _NAMES[Timed])
    written = check.question.written
    lines = _KEPT if isinstance(check, Kept) else _UNTOLD if check.refused is UNHEARD else _TOLD
    return _Form(written.lines, written.gives, lines, (*_NAMES[type(check)], *written.bound))


_NAMES = {check: tuple(f"{field}{{n}}" for field in check._fields) for check in (Timed, Kept, Awaited)}
"""The names by which the parts of each check go."""


def _parts(check: Check) -> tuple[object, ...]:
    """What the names in a check's form stand for."""
    return check if isinstance(check, Timed) else (*check, *check.question.written.bound.values())


def _end_lines(end: Work) -> str:
    """What goes on with the end of a path. A step of an action that comes with the program is taken right there."""
    if not isinstance(end, LastingLeaf) or end.kind.own:
        return _TICK
    return _TOLD_STEP if end.is_told else _UNTOLD_STEP


@lru_cache(maxsize=4096)
def _maker(checks: tuple[tuple[int, _Form], ...], end: int, end_lines: str) -> Callable[..., GoOn]:
    """Makes paths that do these checks, each at its place. Kept, for agents have most of them in common."""
    lines = [(place, form.numbered(number)) for number, (place, form) in enumerate(checks)]
    written = "\n".join(f"place = {place}\n{each}" for place, each in [*lines, (end, end_lines)])
    names = ", ".join(name.replace("{n}", str(n)) for n, (_, form) in enumerate(checks) for name in form.names)
    made: dict[str, Any] = {**HELPERS, "Unbound": Unbound, "RUNNING": RUNNING}
    exec(_PATH.format(names=names, lines=indent(written, " " * 16)), made)  # noqa: S102  (from trees of our own)
    maker: Callable[..., GoOn] = made["make"]
    return maker
