"""Reading a condition into a small tree of its own, and writing the tree back."""

import ast
import re
import warnings
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from umbrant.model.values import number_text

DEEPEST = 40
"""How deep the parts of a condition may be nested in each other."""
LONGEST = 1000
"""The most characters a condition may have; longer is taken for a mistake."""

COMPARISONS: dict[type[ast.cmpop], str] = {
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.Eq: "==",
    ast.NotEq: "!=",
}
ARITHMETIC: dict[type[ast.operator], str] = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.Div: "/",
}
SIGNS = {"<": "<", "<=": "≤", ">": ">", ">=": "≥", "==": "=", "!=": "≠"}
"""How each comparison is shown."""

_LINE_ENDS = re.compile(r"[\r\n\f]")
"""What Python would take for the end of a line. A condition has one line,
whatever it is broken into.
"""
_LONE_EQUALS = re.compile(r"(?<![<>=!])=(?!=)")

TextSpan = tuple[int, int]


class LanguageError(ValueError):
    """Raised for text that is no condition. `span` holds the first and the end
    column of the fault, in characters.
    """

    def __init__(self, message: str, span: TextSpan) -> None:
        super().__init__(message)
        self.span = span


@dataclass(frozen=True)
class NumberTerm:
    """A number, 6 or -0.5."""

    value: float
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class TextTerm:
    """A text in quotes: a named place, or something to compare a text key
    with.
    """

    value: str
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class YesNoTerm:
    """`yes` or `no`."""

    value: bool
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class KeyTerm:
    """The value of a key, by the key's name."""

    key: str
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class SenseCall:
    """A sense with its arguments, by place and by name."""

    sense: str
    args: tuple["ConditionTree", ...]
    named: tuple[tuple[str, "ConditionTree"], ...]
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class Arithmetic:
    """A sum, difference, product or quotient."""

    sign: str
    left: "ConditionTree"
    right: "ConditionTree"
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class Comparison:
    """One comparison of two sides."""

    sign: str
    left: "ConditionTree"
    right: "ConditionTree"
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class Negation:
    """`not` before a condition: yes where the condition is no."""

    part: "ConditionTree"
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class Conjunction:
    """All of the parts (`and`)."""

    parts: tuple["ConditionTree", ...]
    span: TextSpan = field(compare=False)


@dataclass(frozen=True)
class Disjunction:
    """At least one of the parts (`or`)."""

    parts: tuple["ConditionTree", ...]
    span: TextSpan = field(compare=False)


ConditionTree = (
    NumberTerm
    | TextTerm
    | YesNoTerm
    | KeyTerm
    | SenseCall
    | Arithmetic
    | Comparison
    | Negation
    | Conjunction
    | Disjunction
)


@lru_cache(maxsize=4096)
def parse(text: str) -> ConditionTree:
    """The tree of a condition. Raises LanguageError, whatever the text is.
    Trees are frozen, so they are kept.
    """
    if not text.strip():
        raise LanguageError(
            "a condition is empty; write one, such as `is_set(key)`",
            (0, len(text)),
        )
    if len(text) > LONGEST:
        raise LanguageError(
            f"a condition has at most {LONGEST} characters; split it over several rows",
            (0, len(text)),
        )
    lead = len(text) - len(text.lstrip())
    line = _LINE_ENDS.sub(" ", text.strip())
    try:
        # Python warns of what an author of conditions cannot know, such as an
        # escape in a text.
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            body = ast.parse(line, mode="eval").body
    except SyntaxError as error:
        end = len(text.rstrip())
        # Python counts columns from 1 and may point behind the end; a fault
        # must stand under some character.
        column = min(lead + max(0, (error.offset or 1) - 1), end - 1)
        raise LanguageError(
            _syntax_message(error, line), (column, end)
        ) from None
    except (RecursionError, MemoryError, ValueError):
        raise LanguageError(
            "this is no condition; it is nested too deeply or holds odd characters",
            (0, len(text)),
        ) from None
    return _Reader(line, lead).read(body)


def tree_of(text: str) -> ConditionTree | None:
    """The tree of a condition; None where it cannot be read."""
    try:
        return parse(text)
    except LanguageError:
        return None


def source(tree: ConditionTree) -> str:
    """The tree as text that reads back to an equal tree, if it is not longer
    than LONGEST: `a < b < c` is written as two comparisons.
    """
    match tree:
        case NumberTerm(value=value):
            return _number(value)
        case TextTerm(value=text):
            return repr(text)
        case YesNoTerm(value=value):
            return "yes" if value else "no"
        case KeyTerm(key=key):
            return key
        case SenseCall(sense=sense, args=args, named=named):
            given = [source(arg) for arg in args] + [
                f"{name}={source(arg)}" for name, arg in named
            ]
            return f"{sense}({', '.join(given)})"
        case Arithmetic(sign=sign, left=left, right=right):
            # The right side needs brackets where it binds alike: `a - (b - c)`
            # is not `a - b - c`.
            own = _binds(tree)
            return f"{_inner(left, own)} {sign} {_inner(right, own + 1)}"
        case Comparison(sign=sign, left=left, right=right):
            own = _binds(tree) + 1
            return f"{_inner(left, own)} {sign} {_inner(right, own)}"
        case Negation(part=part):
            return f"not {_inner(part, _binds(tree))}"
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            # One more than it binds itself: `a and (b and c)` keeps its
            # brackets, for it is another tree.
            word = " and " if isinstance(tree, Conjunction) else " or "
            return word.join(_inner(part, _binds(tree) + 1) for part in parts)


def literal(tree: ConditionTree) -> float | str | bool | None:
    """The value of a term that is written as such; None for anything else."""
    if isinstance(tree, NumberTerm | TextTerm | YesNoTerm):
        return tree.value
    return None


def atoms(tree: ConditionTree) -> Iterator[ConditionTree]:
    """The questions a condition is made of, in the order in which they are
    written: comparisons, keys, senses.
    """
    match tree:
        case Negation(part=part):
            yield from atoms(part)
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            for part in parts:
                yield from atoms(part)
        case _:
            yield tree


def walk(tree: ConditionTree) -> Iterator[ConditionTree]:
    """The tree and everything in it."""
    yield tree
    match tree:
        case SenseCall(args=args, named=named):
            inner: tuple[ConditionTree, ...] = (
                *args,
                *(value for _, value in named),
            )
        case (
            Arithmetic(left=left, right=right)
            | Comparison(left=left, right=right)
        ):
            inner = (left, right)
        case Negation(part=part):
            inner = (part,)
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            inner = parts
        case _:
            inner = ()
    for part in inner:
        yield from walk(part)


def _binds(tree: ConditionTree) -> int:
    """How tightly the parts of a tree hold together: what binds less than its
    surroundings stands in brackets.
    """
    match tree:
        case Disjunction():
            return 1
        case Conjunction():
            return 2
        case Negation():
            return 3
        case Comparison():
            return 4
        case Arithmetic(sign=sign):
            if sign in "+-":
                return 5
            return 6
    return 7


def _inner(tree: ConditionTree, least: int) -> str:
    text = source(tree)
    if _binds(tree) < least:
        return f"({text})"
    return text


def _number(value: float) -> str:
    short = number_text(value)
    if float(short) == value:
        return short
    return repr(value)


def _syntax_message(error: SyntaxError, line: str) -> str:
    if "never closed" in (error.msg or "") or "unexpected EOF" in (
        error.msg or ""
    ):
        return "a bracket or a quote is never closed"
    if _LONE_EQUALS.search(line):
        return "to compare, write == instead of ="
    return "this is not understood here"


class _Reader:
    """Converts Python's tree into a ConditionTree. Raises LanguageError at
    whatever is not allowed.
    """

    def __init__(self, line: str, lead: int) -> None:
        self.bytes = line.encode()
        self.lead = lead
        self.depth = 0

    def read(self, node: ast.expr) -> ConditionTree:
        """Our tree for a part. Raises LanguageError."""
        # Bounded by hand: what comes after this recurses over the tree as
        # well, and would fail far from the text.
        self.depth += 1
        if self.depth > DEEPEST:
            raise LanguageError(
                "this is nested too deeply; split it over several rows",
                self.span(node),
            )
        tree = self._read(node)
        self.depth -= 1
        return tree

    def _read(self, node: ast.expr) -> ConditionTree:
        readers: dict[type[ast.expr], Callable[[Any], ConditionTree]] = {
            ast.Constant: self._constant,
            ast.Name: self._name,
            ast.Call: self._call,
            ast.UnaryOp: self._unary,
            ast.BinOp: self._arithmetic,
            ast.Compare: self._compare,
            ast.BoolOp: self._bool,
        }
        reader = readers.get(type(node))
        if reader is None:
            raise LanguageError(
                "only keys, senses, numbers, comparisons, and, or, not are allowed",
                self.span(node),
            )
        return reader(node)

    def span(self, node: ast.expr) -> TextSpan:
        """The columns of a part. Python counts bytes, and inside of some texts
        it counts them wrong.
        """
        start = len(self.bytes[: node.col_offset].decode(errors="ignore"))
        end = len(self.bytes[: node.end_col_offset].decode(errors="ignore"))
        return self.lead + start, self.lead + max(start, end)

    def _constant(self, node: ast.Constant) -> ConditionTree:
        value = node.value
        if isinstance(value, bool):
            return YesNoTerm(value, self.span(node))
        if isinstance(value, int | float) and abs(value) < 1e15:
            return NumberTerm(float(value), self.span(node))
        if isinstance(value, str):
            if not value.isascii() and any(
                "\ud800" <= each <= "\udfff" for each in value
            ):
                raise LanguageError(
                    "this text holds half a character, which no file can hold",
                    self.span(node),
                )
            return TextTerm(value, self.span(node))
        raise LanguageError(
            "this is no number or text that a condition can hold",
            self.span(node),
        )

    def _name(self, node: ast.Name) -> ConditionTree:
        if node.id in ("yes", "no"):
            return YesNoTerm(node.id == "yes", self.span(node))
        return KeyTerm(node.id, self.span(node))

    def _call(self, node: ast.Call) -> ConditionTree:
        if not isinstance(node.func, ast.Name):
            raise LanguageError(
                "only a sense can be asked, by its name", self.span(node.func)
            )
        args = tuple(self.read(arg) for arg in node.args)
        named = []
        for keyword in node.keywords:
            if keyword.arg is None:
                raise LanguageError(
                    "`**` is not allowed here", self.span(keyword.value)
                )
            named.append((keyword.arg, self.read(keyword.value)))
        return SenseCall(node.func.id, args, tuple(named), self.span(node))

    def _unary(self, node: ast.UnaryOp) -> ConditionTree:
        part = self.read(node.operand)
        if isinstance(node.op, ast.Not):
            return Negation(part, self.span(node))
        if isinstance(node.op, ast.USub) and isinstance(part, NumberTerm):
            return NumberTerm(-part.value, self.span(node))
        if isinstance(node.op, ast.USub):
            return Arithmetic(
                "-", NumberTerm(0.0, self.span(node)), part, self.span(node)
            )
        raise LanguageError("this sign is not allowed here", self.span(node))

    def _arithmetic(self, node: ast.BinOp) -> ConditionTree:
        sign = ARITHMETIC.get(type(node.op))
        if sign is None:
            raise LanguageError("only + - * / are allowed", self.span(node))
        return Arithmetic(
            sign, self.read(node.left), self.read(node.right), self.span(node)
        )

    def _compare(self, node: ast.Compare) -> ConditionTree:
        sides = [self.read(side) for side in (node.left, *node.comparators)]
        signs = [COMPARISONS.get(type(operator)) for operator in node.ops]
        found: list[ConditionTree] = []
        for left, sign, right in zip(sides, signs, sides[1:], strict=False):
            if sign is None:
                raise LanguageError(
                    "only < <= > >= == != compare here (a yes/no stands "
                    "alone, or with `not` before it)",
                    self.span(node),
                )
            found.append(
                Comparison(sign, left, right, (left.span[0], right.span[1]))
            )
        if len(found) == 1:
            return found[0]
        return Conjunction(tuple(found), self.span(node))

    def _bool(self, node: ast.BoolOp) -> ConditionTree:
        parts = tuple(self.read(part) for part in node.values)
        if isinstance(node.op, ast.And):
            return Conjunction(parts, self.span(node))
        return Disjunction(parts, self.span(node))
