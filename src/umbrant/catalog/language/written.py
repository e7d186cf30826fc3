"""A condition or a formula as source text, to be made a function of its own, or to stand in a
longer one.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from textwrap import indent
from typing import Any

from umbrant.catalog.language.found import HELPERS


@dataclass(frozen=True, slots=True)
class Written:
    """Lines, and an expression that `gives` what they come to. `bound` is what their names stand
    for.

    Each of those names has `{n}` in it, in all three. The lines also use HELPERS.
    """

    lines: str
    gives: str
    bound: Mapping[str, Any]

    def made(self) -> Callable[[], Any]:
        """A function of its own."""
        names = ", ".join(self.bound).format(n="")
        maker = _maker(names, self.lines.format(n=""), self.gives.format(n=""))
        made: Callable[[], Any] = maker(*self.bound.values())
        return made


@dataclass(frozen=True, slots=True)
class Sensed:
    """How a sense is asked: by a function, which gives a Reading, or a value where that is all
    there is to tell.

    With `in_line` it may be written out instead, as an expression that gives yes or no, in which
    the names in braces are those of what it is `given`.
    """

    function: Callable[[], Any]
    in_line: str = ""
    given: Mapping[str, Any] = field(default_factory=dict)
    always_reading: bool = False
    """Whether the function gives nothing but Readings."""


@lru_cache(maxsize=1024)
def _maker(names: str, lines: str, gives: str) -> Callable[..., Any]:
    """Makes functions. Kept, for the agents of one behavior have their conditions in common."""
    made: dict[str, Any] = {**HELPERS}
    body = indent(f"{lines}\nreturn {gives}", " " * 8)
    # From a tree of our own.
    exec(f"def make({names}):\n    def ask():\n{body}\n    return ask", made)  # noqa: S102
    maker: Callable[..., Any] = made["make"]
    return maker
