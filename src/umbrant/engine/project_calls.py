"""Calling a project's own code: whatever it raises or gives becomes an answer
with its file and line.

Nothing here can end code that does not come back. A `CallWatch` is told when
such code is entered and left, and another process, which runs none of it, ends
the player when that takes too long. Inside a game nobody watches: its own code
is waited for, and no signal or timer of the game is touched.
"""

import math
from collections.abc import Callable, Generator
from dataclasses import dataclass
from types import GeneratorType
from typing import Any, Protocol, TypeVar

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.kind import Family, Kind
from umbrant.catalog.protocols import Progress, Unbound
from umbrant.catalog.readings import Reading
from umbrant.engine.project_view import number_of, point_of, text_of
from umbrant.model.printable import printable

T = TypeVar("T")

SHOWN = 80
"""How many characters are shown of what a node gave back."""


class CallWatch(Protocol):
    """Notified when code of a project is entered and left. Calls nest: a
    node's argument may be a sense of the project's own.
    """

    def enter(self, place: bytes) -> None:
        """A call begins; `place` says where, as `CallSite.place` does."""

    def leave(self) -> None:
        """Note that a call of the project's own code has returned."""


class Unwatched:
    """A CallWatch that does nothing, for processes that nobody can end from
    outside.
    """

    def enter(self, place: bytes) -> None: ...
    def leave(self) -> None: ...


UNWATCHED: CallWatch = Unwatched()


# It says what the code gave, and becomes the reason for a failure.
class InvalidResult(Exception):  # noqa: N818
    """A project's own code gave something that means nothing here. Raised and
    caught in this module only.
    """


@dataclass(frozen=True)
class CallSite:
    """A place in a behavior from which code of the project is called."""

    kind: Kind
    agent: str
    row: str
    watch: CallWatch

    @property
    def place(self) -> bytes:
        """File, line, node, agent and row, as reported when a call does not
        return.
        """
        facts = (
            self.kind.own,
            str(self.kind.own_line),
            self.kind.id,
            self.agent,
            self.row,
        )
        return "\0".join(facts).encode("utf-8", "backslashreplace")

    def caller(self) -> Callable[[Callable[[], T]], T]:
        """Calls code of the project. Raises Unbound with the reason, whatever
        the code raises.

        Only KeyboardInterrupt goes through: a game is stopped by it.
        """
        enter, leave, place = self.watch.enter, self.watch.leave, self.place

        def call(work: Callable[[], T]) -> T:
            enter(place)
            try:
                return work()
            except (Unbound, KeyboardInterrupt):
                raise
            except InvalidResult as nonsense:
                raise Unbound(self._nonsense(str(nonsense))) from None
            except BaseException as error:
                # SystemExit, GeneratorExit and whatever else is derived from
                # BaseException: none may end a roll.
                raise Unbound(self._raised(error)) from None
            finally:
                leave()

        return call

    def _raised(self, error: BaseException) -> Cause:
        return cause(
            "raised",
            file=self.kind.own,
            line=float(self._line_of(error)),
            message=described(error),
        )

    def _nonsense(self, what: str) -> Cause:
        return cause(
            "nonsense",
            file=self.kind.own,
            line=float(self.kind.own_line),
            value=what,
        )

    def _line_of(self, error: BaseException) -> int:
        """The last line of the project's file on the way to the error; where
        the function begins if there is none.
        """
        return line_of(error, self.kind.own) or self.kind.own_line


def line_of(error: BaseException, file: str) -> int:
    """The last line of a file on the way to an error; 0 if it is not on the
    way.
    """
    line, trace = 0, error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_code.co_filename == file:
            line = trace.tb_lineno or line
        trace = trace.tb_next
    return line


def described(error: BaseException) -> str:
    """The name of an error and its text, which may itself fail to be said."""
    name = printable(type(error).__name__, SHOWN)
    try:
        text = printable(str(error))
    except BaseException:
        return f"{name}, which cannot say what it is"
    if text:
        return f"{name}: {text}"
    return name


def shown(value: object) -> str:
    """A value as a message shows it, which may itself fail to be shown."""
    try:
        return printable(repr(value), SHOWN)
    except BaseException:
        return f"an object of {printable(type(value).__name__, SHOWN)}"


# What a project's own code may give. Each is made anew of plain values: an
# object of a stranger's that stayed would run code of its own whenever it is
# compared or shown.


def result_of(kind: Kind, result: object) -> bool | Cause | None:
    """The outcome that a node returned. Raises InvalidResult for anything but
    True, False, None and a Cause.
    """
    if result is True or result is False:
        return result
    if result is None and kind.family is not Family.CONDITION:
        return None
    if type(result) is Cause:
        return _cause_of(result)
    raise InvalidResult(shown(result))


def reading_of(value: object) -> Reading | bool | float | str | None:
    """What a sense gave. Raises InvalidResult for what no condition can
    compare.
    """
    if type(value) is Reading:
        given = value.cause
        reason = None
        if given:
            reason = _cause_of(given)
        return Reading(
            _value_of(value.value),
            _measure_of(value.measure),
            reason,
        )
    return _value_of(value)


def progress_of(value: object) -> Progress | None:
    """The progress that a step yielded, None if it yielded none. Raises
    InvalidResult for anything else.
    """
    if type(value) is not Progress:
        return None
    try:
        left, of = _measure_of(value.left), _measure_of(value.of)
        way = tuple(point_of(each, "a corner") for each in value.way)
        return Progress(
            left,
            of,
            text_of(value.unit, "the unit"),
            way,
            number_of(value.per_s, "per_s"),
        )
    except TypeError:
        raise InvalidResult(shown(value)) from None


def steps_of(steps: object) -> Generator[Any, None, object]:
    """The generator of a node that takes time. Raises InvalidResult if its
    function returned something else.
    """
    if type(steps) is not GeneratorType:
        raise InvalidResult(shown(steps))
    return steps


def _value_of(value: object) -> bool | float | str | None:
    if value is None or value is True or value is False:
        return value
    try:
        if isinstance(value, str):
            return text_of(value, "it")
        return number_of(value, "it")
    except TypeError:
        raise InvalidResult(shown(value)) from None


def _measure_of(value: object) -> float | None:
    found = _value_of(value)
    if found is None or (isinstance(found, float) and math.isfinite(found)):
        return found
    raise InvalidResult(shown(value))


def _cause_of(given: object) -> Cause:
    """A cause of plain facts."""
    if type(given) is not Cause:
        raise InvalidResult(shown(given))
    facts = {}
    for name, fact in dict(given.facts).items():
        try:
            plain = (
                point_of(fact, "a fact")
                if isinstance(fact, tuple | list)
                else _value_of(fact)
            )
        except TypeError:
            raise InvalidResult(shown(given)) from None
        if plain is None:
            raise InvalidResult(shown(given))
        facts[text_of(name, "a fact's name")] = plain
    return Cause(given.kind, facts)
