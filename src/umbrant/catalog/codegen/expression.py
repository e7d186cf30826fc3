"""A condition or a formula as source text, to be compiled alone or put into a
longer function.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from textwrap import indent
from typing import Any

from umbrant.catalog.codegen.functions import compile_maker
from umbrant.catalog.language.atom_results import HELPERS

IS_TRUE = " is True"
"""How the result of a condition ends: unknown counts as no."""


@dataclass(frozen=True, slots=True)
class GeneratedExpression:
    """Lines to run, and the expression `result` that holds their value
    afterwards.

    `bound` is what the names in both stand for, by name. Each of those names
    has `{n}` in it, in all three. The lines also use the names in HELPERS.
    """

    lines: str
    result: str
    bound: Mapping[str, Any]

    @property
    def test(self) -> str:
        """The result of a condition as an `if` takes it: a truth is True,
        False or None, so that it need not be compared.
        """
        return self.result.removesuffix(IS_TRUE)

    def compiled(self) -> Callable[[], Any]:
        """A function without parameters that runs the lines and returns the
        result.
        """
        names = ", ".join(self.bound).format(n="")
        maker = _maker(
            names, self.lines.format(n=""), self.result.format(n="")
        )
        function: Callable[[], Any] = maker(*self.bound.values())
        return function


@dataclass(frozen=True, slots=True)
class BoundSense:
    """A sense with its arguments, as a function that returns a Reading or a
    bare value.

    `in_line` may be an expression for the same, of type yes or no, in which
    the names in braces are those in `arguments`; the writer then puts it into
    the source instead of a call.
    """

    function: Callable[[], Any]
    in_line: str = ""
    arguments: Mapping[str, Any] = field(default_factory=dict)
    always_reading: bool = False
    """Whether the function returns nothing but Readings."""
    range_m: float | None = None
    """How far it is to look, where that is written: what its cause `too_far`
    leaves out.
    """


@lru_cache(maxsize=1024)
def _maker(names: str, lines: str, result: str) -> Callable[..., Any]:
    """Compiled makers by their source: agents of one behavior have their
    conditions in common.
    """
    body = indent(f"{lines}\nreturn {result}", " " * 8)
    source = f"def make({names}):\n    def evaluate():\n{body}\n    return evaluate\n"
    return compile_maker(source, "condition", HELPERS)
