"""What stands in a take's file, taken for anything: each value is what it
should be, or the file is damaged.
"""

import sqlite3
from collections.abc import Callable, Iterator, Mapping, Sequence
from operator import lt
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from pydantic_core import from_json

from umbrant.catalog.causes import Cause
from umbrant.model.problems import ProjectError
from umbrant.model.values import Point, Value

Float32Array = NDArray[np.float32]
MALFORMED = (
    ValueError,
    TypeError,
    KeyError,
    AttributeError,
    OverflowError,
    RecursionError,
    ValidationError,
    ProjectError,
)
"""What turning a stored value into what it stands for may raise where it holds
something else.
"""

META = "SELECT name, name, value FROM meta ORDER BY name"
"""The one table that has no order in which it was written."""

PLAIN = (float, bool, str, int, type(None))
"""The types of plain values but points, as JSON gives them."""

FARTHEST = 1e7
"""How large the numbers of a place can be, in metres: more than the largest
stage, and what is dropped beside it.
"""

ROWS_AT_ONCE = 512
"""How many rows of a table are read and checked together."""

T = TypeVar("T")


class DamagedTake(Exception):  # noqa: N818  (it says what the file is)
    """A stored value is not what its column should hold. Raised where a value
    is decoded, caught in this package only; errors in the handling of decoded
    values are never turned into it.
    """


class DecodedValues:
    """A budget for the memory of a take's arrays: a multiple of its file's
    size, and some room. A small file that asks for large arrays is damaged.
    """

    def __init__(self, size: int) -> None:
        self._left = 32 * size + 16 * 1024 * 1024

    def take(self, count: int) -> Float32Array:
        """An array of so many numbers. Raises DamagedTake."""
        self._left -= 4 * count
        if self._left < 0:
            raise DamagedTake(
                "it asks for far more memory than it can have written"
            )
        return np.full(count, np.nan, dtype=np.float32)


def stored_rows(
    file: sqlite3.Connection, table: str, **columns: type | tuple[type, ...]
) -> Iterator[tuple[Any, ...]]:
    """A table's rows, in the order in which they were written. Raises
    DamagedTake where a column holds another type.
    """
    last: Any = None
    # The names of tables and columns are written in this package, never taken
    # from a file.
    select = f"SELECT rowid, {', '.join(columns)} FROM {table} ORDER BY rowid"  # noqa: S608
    if table == "meta":
        select = META
    found = file.execute(select)
    while rows := found.fetchmany(ROWS_AT_ONCE):
        # By columns, for a take has many rows and each check is then one call
        # for all of them.
        places, *values = zip(*rows, strict=True)
        # In a damaged file the same page can be found in many places, and
        # reading it would go on and on.
        if last is None:
            following = places
        else:
            following = (last, *places)
        # Numbers, or the names of the meta table. In a damaged file either may
        # be nothing at all.
        are_places = {*map(type, following)} in ({int}, {str})
        if not are_places or not all(map(lt, following, following[1:])):
            raise DamagedTake(
                f"the rows of the table '{table}' go round in circles"
            )
        last = places[-1]
        for column, held in zip(columns, values, strict=True):
            _check_types(table, column, held, columns[column])
        yield from zip(*values, strict=True)


def _check_types(
    table: str,
    column: str,
    held: Sequence[object],
    kind: type | tuple[type, ...],
) -> None:
    """Raise DamagedTake where a column holds anything but these types."""
    # SQLite stores a float without a fraction as an integer where that is
    # shorter.
    allowed = (float, int) if kind is float else kind
    if all(issubclass(each, allowed) for each in {*map(type, held)}):
        return
    wrong = next(each for each in held if not isinstance(each, allowed))
    raise DamagedTake(
        f"'{column}' of the table '{table}' holds {str(wrong)[:40]!r}"
    )


def check_tables(file: sqlite3.Connection, *wanted: str) -> None:
    """Raise DamagedTake where a table is not just as it is written: a view,
    say, could make rows without end.
    """
    found = {
        str(sql)
        for _, sql in file.execute("SELECT name, sql FROM sqlite_master")
    }
    missing = [sql for sql in wanted if sql not in found]
    if missing:
        raise DamagedTake(f"there is no table as in '{missing[0][:60]}'")


def decoded(what: str, decode: Callable[..., T], *stored: object) -> T:
    """Stored values, decoded. Raises DamagedTake for values that cannot be;
    `what` names them in the message.
    """
    try:
        return decode(*stored)
    except MALFORMED as error:
        raise DamagedTake(
            f"{what}: {(str(error) or type(error).__name__).splitlines()[0]}"
        ) from error


def plain_value(value: Any) -> Value | None:
    """A plain value: a list of two numbers is a point. Raises ValueError for
    anything else.
    """
    if value.__class__ in PLAIN:
        return value
    return plain_point(value)


def plain_point(value: Any) -> Point:
    """A point. Raises ValueError for anything else."""
    x, y = value
    if not all(
        isinstance(each, int | float) and abs(each) <= FARTHEST
        for each in (x, y)
    ):
        raise ValueError("no point")
    return float(x), float(y)


def plain_cause(data: Mapping[str, Any] | None) -> Cause | None:
    """A cause of plain facts; None for none. Raises ValueError or KeyError for
    anything else.
    """
    if not data:
        return None
    for fact in data.values():
        if fact.__class__ not in PLAIN:
            plain_point(fact)
    return Cause.from_plain(data)


def cause_of_text(text: str) -> Cause:
    """A cause that is there. Raises ValueError."""
    cause = plain_cause(from_json(text))
    if cause is None:
        raise ValueError("no cause")
    return cause
