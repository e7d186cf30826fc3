"""A condition as straight-line source: no calls but those that ask senses and keys.

It is written from our own tree, in which nothing but names that are bound here and plain values can
stand. It comes to what asking is to come to: three-valued logic, and for each atom a `Found`, told
of when it is news. Where nobody keeps what is told, that part is left out.
"""

from collections.abc import Callable
from functools import partial
from typing import Any

from umbrant.catalog.causes import cause
from umbrant.catalog.codegen.expression import BoundSense, GeneratedExpression
from umbrant.catalog.language.atom_results import NEVER
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    Negation,
    NumberTerm,
    SenseCall,
    TextTerm,
    YesNoTerm,
)
from umbrant.catalog.protocols import discard

Bound = dict[str, Any]


class ConditionWriter:
    """Writes the source of one condition. `bound` are the names that it uses."""

    def __init__(self, scope: Any) -> None:
        self.bound: Bound = {}
        self.atoms = 0
        self._scope = scope
        self._lines: list[str] = []
        self._names = 0
        self._lasting: dict[str, str] = {}
        """What lasts from one time to the next, and where it stands. In the beginning each is
        `never`.
        """
        self._tells = False

    def condition(
        self, tree: ConditionTree, tell: Callable[[int, Any], None]
    ) -> GeneratedExpression:
        """Gives whether a condition is so, unknown counting as no.

        `tell` is given an atom's place and what it found, None where it was not asked, whenever
        that is news.
        """
        self._tells = tell is not discard
        truth = self._truth(tree, 0)
        self.bound["tell{n}"] = tell
        return self._written(f"{truth} is True")

    def truth(self, tree: ConditionTree) -> GeneratedExpression:
        """Gives what a condition comes to that nobody is told of, None where that is unknown."""
        return self._written(self._truth(tree, 0))

    def value(self, tree: ConditionTree) -> GeneratedExpression:
        """Gives the value of a formula."""
        return self._written(self._value(tree, "missing", 0))

    def _written(self, gives: str) -> GeneratedExpression:
        self.bound["lasting{n}"] = [NEVER] * len(self._lasting)
        return GeneratedExpression("\n".join(self._lines), gives, self.bound)

    def _put(self, depth: int, line: str) -> None:
        self._lines.append("    " * depth + line)

    def _name(self, value: Any = None, prefix: str = "v") -> str:
        """A name of its own; with a value it is bound to that."""
        self._names += 1
        name = f"{prefix}{self._names}{{n}}"
        if value is not None:
            self.bound[name] = value
        return name

    # truths

    def _truth(self, tree: ConditionTree, depth: int) -> str:
        match tree:
            case Negation(part=part):
                inner, name = self._truth(part, depth), self._name()
                self._put(depth, f"{name} = None if {inner} is None else not {inner}")
                return name
            case Conjunction(parts=parts):
                return self._decided_by(parts, False, depth)
            case Disjunction(parts=parts):
                return self._decided_by(parts, True, depth)
            case Comparison():
                return self._comparison(tree, depth)
            case SenseCall():
                return self._bare_sense(tree, depth)
        return self._bare_value(tree, depth)

    def _decided_by(self, parts: tuple[ConditionTree, ...], decisive: bool, depth: int) -> str:
        """`and` and `or`: the first part that gives `decisive` ends it; an unknown part makes the
        rest unknown.
        """
        name = self._name()
        first = self._truth(parts[0], depth)
        self._put(depth, f"{name} = {first}")
        for part in parts[1:]:
            self._put(depth, f"if {name} is not {decisive}:")
            before = self.atoms
            truth = self._truth(part, depth + 1)
            known = f"None if {name} is None or {truth} is None else {not decisive}"
            self._put(depth + 1, f"{name} = {decisive} if {truth} is {decisive} else {known}")
            self._passed_over(range(before, self.atoms), depth)
        return name

    def _comparison(self, tree: Comparison, depth: int) -> str:
        missing = self._missing(depth)
        left, right = (
            self._value(tree.left, missing, depth),
            self._value(tree.right, missing, depth),
        )
        unknown = " or ".join(f"{side} is None" for side in (left, right) if side.startswith("v"))
        name = self._name()
        compared = f"{left} {tree.sign} {right}"
        self._put(
            depth,
            f"{name} = None if {unknown} else {compared}" if unknown else f"{name} = {compared}",
        )
        self._found(f"({name}, {left}, {right}, {missing})", depth)
        return name

    def _bare_sense(self, tree: SenseCall, depth: int) -> str:
        sensed = self._scope.sense(tree)
        if sensed.in_line:
            return self._in_line(sensed, depth)
        got, value, name = self._asked(sensed, depth), self._name(), self._name()
        reads = (
            f"{got}.value"
            if sensed.always_reading
            else f"{got}.value if {got}.__class__ is Reading else {got}"
        )
        if not self._tells:
            self._put(depth, f"{value} = {reads}")
            self._put(depth, f"{name} = {value} if {value} is True or {value} is False else None")
            return name
        last, truth = self._keep("last"), self._keep("truth")
        self._put(depth, f"if {got} is not {last}:")
        self._put(depth + 1, f"{last} = {got}")
        self._put(depth + 1, f"{value} = {reads}")
        self._put(depth + 1, f"{truth} = {value} if {value} is True or {value} is False else None")
        more = f"{got}.measure, None, {got}.cause"
        self._found(
            f"({truth}, {more}) if {got}.__class__ is Reading else ({truth}, None, None, None)",
            depth + 1,
        )
        return truth

    def _in_line(self, sensed: BoundSense, depth: int) -> str:
        """Whether what is written out is so; when that is news, there is nothing more to tell."""
        name = self._name()
        self._put(depth, f"{name} = {self._written_out(sensed)}")
        if self._tells:
            told = self._keep("told")
            self._put(depth, f"if {name} is not {told}:")
            self._put(depth + 1, f"{told} = {name}")
            self._put(depth + 1, f"tell{{n}}({self.atoms}, Found({name}))")
        self.atoms += 1
        return name

    def _bare_value(self, tree: ConditionTree, depth: int) -> str:
        missing, name = self._missing(depth), self._name()
        got = self._value(tree, missing, depth)
        self._put(depth, f"{name} = {got} if {got} is True or {got} is False else None")
        self._found(f"({name}, {got}, None, {missing})", depth)
        return name

    def _asked(self, sensed: BoundSense, depth: int) -> str:
        """Ask a sense: a Reading, or a bare value where that is all there is to tell."""
        got = self._name()
        self._put(depth, f"{got} = {self._call(sensed.function, 's')}")
        return got

    def _written_out(self, sensed: BoundSense) -> str:
        return sensed.in_line.format(
            **{name: self._given(value) for name, value in sensed.given.items()}
        )

    def _call(self, function: Callable[[], Any], prefix: str) -> str:
        """A call of a function. What a `partial` stands for is called itself, which costs less."""
        if not isinstance(function, partial):
            return f"{self._name(function, prefix)}()"
        placed = [self._given(value) for value in function.args]
        named = [f"{name}={self._given(value)}" for name, value in function.keywords.items()]
        return f"{self._name(function.func, prefix)}({', '.join([*placed, *named])})"

    def _given(self, value: Any) -> str:
        name = self._name(prefix="c")
        self.bound[name] = value
        return name

    # what is told

    def _missing(self, depth: int) -> str:
        """A name for what stands in the way of a value."""
        name = self._name(prefix="m")
        if self._tells:
            self._put(depth, f"{name} = None")
        return name

    def _stands_in_the_way(self, missing: str, when: str, cause: str, depth: int) -> None:
        if self._tells:
            self._put(depth, f"if {when}: {missing} = {cause}")

    def _found(self, found: str, depth: int) -> None:
        """An atom found something: its truth, the sides of the comparison, and what stood in the
        way.
        """
        if self._tells:
            told = self._keep("told")
            self._put(depth, f"found = {found}")
            self._put(depth, f"if found != {told}:")
            self._put(depth + 1, f"{told} = found")
            self._put(depth + 1, f"tell{{n}}({self.atoms}, Found(*found))")
        self.atoms += 1

    def _passed_over(self, atoms: range, depth: int) -> None:
        """These atoms have not been asked."""
        if not self._tells:
            return
        self._put(depth, "else:")
        for atom in atoms:
            told = self._lasting[f"told{atom}"]
            self._put(depth + 1, f"if {told} is not None:")
            self._put(depth + 2, f"{told} = None")
            self._put(depth + 2, f"tell{{n}}({atom}, None)")
            if f"last{atom}" in self._lasting:
                self._put(depth + 2, f"{self._lasting[f'last{atom}']} = never")

    def _keep(self, name: str) -> str:
        """A place for what lasts of the present atom."""
        place = f"lasting{{n}}[{len(self._lasting)}]"
        self._lasting[f"{name}{self.atoms}"] = place
        return place

    # values: a name that may hold None begins with v, a value that is always there with c

    def _value(self, tree: ConditionTree, missing: str, depth: int) -> str:
        match tree:
            case NumberTerm(value=value) | TextTerm(value=value) | YesNoTerm(value=value):
                return self._given(value)
            case KeyTerm(key=key):
                name, unset = self._name(), self._name(cause("not_set", key=key), "u")
                self._put(depth, f"{name} = {self._given(self._scope.key(key))}.value")
                self._stands_in_the_way(missing, f"{name} is None", unset, depth)
                return name
            case SenseCall():
                return self._sense(tree, missing, depth)
            case Arithmetic(sign=sign, left=left, right=right):
                one, other = self._value(left, missing, depth), self._value(right, missing, depth)
                name = self._name()
                self._put(depth, f"{name} = reckoned({sign!r}, {one}, {other})")
                return name
        return self._inner_truth(tree, depth)

    def _sense(self, tree: SenseCall, missing: str, depth: int) -> str:
        """The value that a sense gives."""
        sensed = self._scope.sense(tree)
        name = self._name()
        if sensed.in_line:
            self._put(depth, f"{name} = {self._written_out(sensed)}")
            return name
        got = self._asked(sensed, depth)
        self._put(depth, f"{name} = {got}")
        self._put(depth, f"if {got}.__class__ is Reading:")
        self._put(depth + 1, f"{name} = {got}.value")
        self._stands_in_the_way(missing, f"{got}.cause is not None", f"{got}.cause", depth + 1)
        return name

    def _inner_truth(self, tree: ConditionTree, depth: int) -> str:
        """The truth of a condition that stands where a value does: what its atoms find is not
        kept.
        """
        inner = ConditionWriter(self._scope)
        ask, name = self._name(inner.truth(tree).made(), "i"), self._name()
        self._put(depth, f"{name} = {ask}()")
        return name
