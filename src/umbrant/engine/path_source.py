"""A path as one straight-line function: its checks in order, each written out where it stands, and
what is at its end.

The source is put together from the forms below and from conditions that are written out, and kept:
agents of one behavior have most of their paths in common. What is an agent's own is bound to the
names in it.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache
from textwrap import indent
from typing import Any, NamedTuple

from umbrant.catalog.language.found import HELPERS
from umbrant.catalog.work import (
    RUNNING,
    UNHEARD,
    Awaited,
    Check,
    Kept,
    Status,
    Timed,
    Unbound,
    Work,
)
from umbrant.catalog.world import Me
from umbrant.engine.leaf import LastingLeaf

GoOn = Callable[[Me], Status]
"""Goes on with a row for one tick; gives what the row comes to."""

Outwards = Callable[[Me, int, Status], Status]
"""What was at a place has come to a status: what the whole comes to."""

GaveOut = Callable[[Me, int, Unbound], tuple[int, Status]]
"""Something at a place was unbound: at which place that is a failure, or what else comes of it
there.
"""

_PATH = """
def make(end, outwards, gave_out, {names}):
    {begins}
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
"""`break` leads out of the lines with a `status` that what is at `place` has come to."""

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
_TOLD = f"""\
{_UNTOLD}
else:
    refused{{n}}.last.end = refused{{n}}.clock.tick"""
"""The same where somebody hears of refusals."""

_NAMES = {
    check: tuple(f"{field}{{n}}" for field in check._fields) for check in (Timed, Kept, Awaited)
}
"""The names by which the parts of each check go."""


class _End(NamedTuple):
    """How what is at the end of a path is gone on with: what is bound once, and the lines."""

    begins: str
    lines: str


_TICK = _End(
    "tick = end.tick",
    """\
status = tick(me)
break""",
)
_STEP = _End(
    "tick, board, writer = end.tick, end.board, end.writer",
    """\
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
    break
return RUNNING""",
)
"""A step of an action that comes with the program is taken right there."""

_TOLD_STEP = _End(
    f"{_STEP.begins}; progressed = end.progressed",
    _STEP.lines.replace(
        "return RUNNING",
        """\
if told is not end.told and told is not None:
    end.told = told
    progressed(told)
return RUNNING""",
    ),
)
"""The same where somebody hears how far the action is."""


class _Form(NamedTuple):
    """How a check is written out: the condition that it begins with, what comes of that, and the
    names in both.

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


def written_out(
    checks: Sequence[tuple[int, Check]],
    end: Work,
    place: int,
    outwards: Outwards,
    gave_out: GaveOut,
) -> GoOn:
    """What does these checks, each at its place, and goes on with `end`, which is at `place`."""
    make = _maker(tuple((place, _form(check)) for place, check in checks), place, _end_of(end))
    return make(end, outwards, gave_out, *(part for _, check in checks for part in _parts(check)))


def _form(check: Check) -> _Form:
    if isinstance(check, Timed):
        return _Form("", "", _TIMED, _NAMES[Timed])
    written = check.question.written
    lines = _KEPT if isinstance(check, Kept) else _UNTOLD if check.refused is UNHEARD else _TOLD
    return _Form(written.lines, written.gives, lines, (*_NAMES[type(check)], *written.bound))


def _parts(check: Check) -> tuple[object, ...]:
    """What the names in a check's form stand for."""
    return check if isinstance(check, Timed) else (*check, *check.question.written.bound.values())


def _end_of(end: Work) -> _End:
    if not isinstance(end, LastingLeaf) or end.kind.own:
        return _TICK
    return _TOLD_STEP if end.is_told else _STEP


@lru_cache(maxsize=4096)
def _maker(checks: tuple[tuple[int, _Form], ...], place: int, end: _End) -> Callable[..., GoOn]:
    """Makes paths of this form."""
    lines = [(at, form.numbered(number)) for number, (at, form) in enumerate(checks)]
    written = "\n".join(f"place = {at}\n{each}" for at, each in [*lines, (place, end.lines)])
    names = ", ".join(
        name.replace("{n}", str(n)) for n, (_, form) in enumerate(checks) for name in form.names
    )
    source = _PATH.format(names=names, begins=end.begins, lines=indent(written, " " * 16))
    made: dict[str, Any] = {**HELPERS, "Unbound": Unbound, "RUNNING": RUNNING}
    exec(source, made)  # noqa: S102  (from trees of our own)
    maker: Callable[..., GoOn] = made["make"]
    return maker
