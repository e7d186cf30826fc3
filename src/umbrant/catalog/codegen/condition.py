"""Writes a condition or a formula as straight-line source: the only calls ask
senses and keys.

For `can_see(visitor, within=8) and mood == "calm"` the lines are, with
reporting left out:

    v2 = s5(c3, c4, within=numbers[0])
    v6 = v2.value
    v7 = v6 if v6 is True or v6 is False else None
    v1 = v7
    if v1 is not False:
        v9 = c11.value
        v13 = None if v9 is None else v9 == c12
        v1 = False if v13 is False else None if v1 is None or v13 is None else True

Logic is three-valued: None is unknown. Each atom's result is reported when it
differs from the last one; where nobody records results, the lines for that are
left out.

Numbers that are written in the condition are kept in one list, `numbers`, so
that they can be given other values in whatever the lines were compiled into.
They are not reported: what is reported says what was found, and never what is
written (`catalog.language.written`).
"""

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.codegen.expression import (
    IS_TRUE,
    BoundSense,
    GeneratedExpression,
)
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
    literal,
)
from umbrant.catalog.protocols import discard

Bound = dict[str, Any]

NUMBERS = "numbers{n}"
"""What the source calls the list of the numbers that are written in the
condition.
"""


class Kept:
    """What a condition keeps from one evaluation to the next, in attributes,
    for these are read faster than items. Nothing has been kept at first.
    """

    def __init__(self, slots: Iterable[str]) -> None:
        for each in slots:
            setattr(self, each.rpartition(".")[2], NEVER)


class ConditionWriter:
    """Writes the source of one condition, once. `source` resolves its keys and
    senses, as a `bound_condition.ValueSource`.
    """

    def __init__(self, source: Any) -> None:
        self.bound: Bound = {}
        """What the names in the source stand for."""
        self.atoms = 0
        """How many atoms have been written: the index of the next one."""
        self._source = source
        self._lines: list[str] = []
        self._names = 0
        self._numbers: list[float] = []
        self._slots: dict[str, str] = {}
        """Where a value is kept from one evaluation to the next, as an
        expression in the source, by what it is. Each begins as `never`.
        """
        self._reports = False

    def condition(
        self, tree: ConditionTree, report: Callable[[int, Any], None]
    ) -> GeneratedExpression:
        """An expression for whether a condition is true; unknown counts as no.

        `report` is as in `bound_condition.BoundCondition`.
        """
        self._reports = report is not discard
        truth = self._truth(tree, 0)
        self.bound["report{n}"] = report
        return self._expression(f"{truth}{IS_TRUE}")

    def truth(self, tree: ConditionTree) -> GeneratedExpression:
        """An expression for a condition's truth, None where it is unknown.
        Nothing is reported.
        """
        return self._expression(self._truth(tree, 0))

    def value(
        self,
        tree: ConditionTree,
        unknown: Callable[[Cause | None], None] = discard,
    ) -> GeneratedExpression:
        """An expression for the value of a formula, None where it is unknown.

        `unknown` is called each time that it is, with what was found instead.
        """
        self._reports = unknown is not discard
        missing = self._missing(0)
        result = self._value(tree, missing, 0)
        if self._reports:
            self.bound["unknown{n}"] = unknown
            self._put(0, f"if {result} is None: unknown{{n}}({missing})")
        return self._expression(result)

    def _expression(self, result: str) -> GeneratedExpression:
        self.bound["kept{n}"] = Kept(self._slots.values())
        self.bound[NUMBERS] = self._numbers
        return GeneratedExpression("\n".join(self._lines), result, self.bound)

    def _put(self, depth: int, line: str) -> None:
        self._lines.append("    " * depth + line)

    def _name(self, value: Any = None, prefix: str = "v") -> str:
        """A new name; bound to the value, if one is given."""
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
                self._put(
                    depth, f"{name} = None if {inner} is None else not {inner}"
                )
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

    def _decided_by(
        self, parts: tuple[ConditionTree, ...], decisive: bool, depth: int
    ) -> str:
        """`and` and `or`: the first part with the truth `decisive` ends it;
        else one unknown part makes the whole unknown.
        """
        name = self._name()
        first = self._truth(parts[0], depth)
        self._put(depth, f"{name} = {first}")
        for part in parts[1:]:
            self._put(depth, f"if {name} is not {decisive}:")
            before = self.atoms
            truth = self._truth(part, depth + 1)
            known = f"None if {name} is None or {truth} is None else {not decisive}"
            self._put(
                depth + 1,
                f"{name} = {decisive} if {truth} is {decisive} else {known}",
            )
            self._not_evaluated(range(before, self.atoms), depth)
        return name

    def _comparison(self, tree: Comparison, depth: int) -> str:
        missing = self._missing(depth)
        left, right = (
            self._value(tree.left, missing, depth),
            self._value(tree.right, missing, depth),
        )
        unknown = " or ".join(
            f"{side} is None" for side in (left, right) if side.startswith("v")
        )
        name = self._name()
        compared = f"{left} {tree.sign} {right}"
        if unknown:
            line = f"{name} = None if {unknown} else {compared}"
        else:
            line = f"{name} = {compared}"
        self._put(
            depth,
            line,
        )
        found = []
        for side, value in ((tree.left, left), (tree.right, right)):
            # What is written in the condition is in the documents already.
            if literal(side) is not None:
                found.append("None")
            else:
                found.append(value)
        self._report(f"({name}, {found[0]}, {found[1]}, {missing})", depth)
        return name

    def _bare_sense(self, tree: SenseCall, depth: int) -> str:
        sensed = self._source.sense(tree)
        if sensed.in_line:
            return self._in_line(sensed, depth)
        got, value, name = (
            self._call_sense(sensed, depth),
            self._name(),
            self._name(),
        )
        if sensed.always_reading:
            reads = f"{got}.value"
        else:
            reads = f"{got}.value if {got}.__class__ is Reading else {got}"
        if not self._reports:
            self._put(depth, f"{value} = {reads}")
            self._put(
                depth,
                f"{name} = {value} if {value} is True or {value} is False else None",
            )
            return name
        last, truth = self._keep("last"), self._keep("truth")
        self._put(depth, f"if {got} is not {last}:")
        self._put(depth + 1, f"{last} = {got}")
        self._put(depth + 1, f"{value} = {reads}")
        self._put(
            depth + 1,
            f"{truth} = {value} if {value} is True or {value} is False else None",
        )
        more = f"{got}.measure, None, {got}.cause"
        self._report(
            f"({truth}, {more}) if {got}.__class__ is Reading else ({truth}, None, None, None)",
            depth + 1,
        )
        return truth

    def _in_line(self, sensed: BoundSense, depth: int) -> str:
        """A sense that is an expression of its own. It has no number or cause
        to report.
        """
        name = self._name()
        self._put(depth, f"{name} = {self._in_line_source(sensed)}")
        if self._reports:
            reported = self._keep("reported")
            self._put(depth, f"if {name} is not {reported}:")
            self._put(depth + 1, f"{reported} = {name}")
            self._put(
                depth + 1, f"report{{n}}({self.atoms}, AtomResult({name}))"
            )
        self.atoms += 1
        return name

    def _bare_value(self, tree: ConditionTree, depth: int) -> str:
        missing, name = self._missing(depth), self._name()
        got = self._value(tree, missing, depth)
        self._put(
            depth,
            f"{name} = {got} if {got} is True or {got} is False else None",
        )
        if literal(tree) is not None:
            found = "None"
        else:
            found = got
        self._report(f"({name}, {found}, None, {missing})", depth)
        return name

    def _call_sense(self, sensed: BoundSense, depth: int) -> str:
        """Call a sense: its name then holds a Reading or a bare value."""
        got = self._name()
        self._put(depth, f"{got} = {self._call(sensed.function, 's')}")
        return got

    def _in_line_source(self, sensed: BoundSense) -> str:
        return sensed.in_line.format(
            **{
                name: self._bind(value)
                for name, value in sensed.arguments.items()
            }
        )

    def _call(self, function: Callable[[], Any], prefix: str) -> str:
        """The source of a call of a function."""
        # A `partial` is unpacked: calling the function itself with bound names
        # takes half the time.
        if not isinstance(function, partial):
            return f"{self._name(function, prefix)}()"
        placed = [self._bind(value) for value in function.args]
        named = [
            f"{name}={self._bind(value)}"
            for name, value in function.keywords.items()
        ]
        return f"{self._name(function.func, prefix)}({', '.join([*placed, *named])})"

    def _bind(self, value: Any) -> str:
        if isinstance(value, int | float) and not isinstance(value, bool):
            self._numbers.append(value)
            return f"{NUMBERS}[{len(self._numbers) - 1}]"
        name = self._name(prefix="c")
        self.bound[name] = value
        return name

    # what is reported

    def _missing(self, depth: int) -> str:
        """A name for the cause by which a value is unknown."""
        name = self._name(prefix="m")
        if self._reports:
            self._put(depth, f"{name} = None")
        return name

    def _note_cause(
        self, missing: str, when: str, cause: str, depth: int
    ) -> None:
        if self._reports:
            self._put(depth, f"if {when}: {missing} = {cause}")

    def _report(self, result: str, depth: int) -> None:
        """Report an atom's result, given as the source of a tuple of
        AtomResult's fields.
        """
        if self._reports:
            reported = self._keep("reported")
            self._put(depth, f"result = {result}")
            self._put(depth, f"if result != {reported}:")
            self._put(depth + 1, f"{reported} = result")
            self._put(
                depth + 1, f"report{{n}}({self.atoms}, AtomResult(*result))"
            )
        self.atoms += 1

    def _not_evaluated(self, atoms: range, depth: int) -> None:
        """Report that these atoms were not evaluated, because an earlier one
        decided.
        """
        if not self._reports:
            return
        self._put(depth, "else:")
        for atom in atoms:
            reported = self._slots[f"reported{atom}"]
            self._put(depth + 1, f"if {reported} is not None:")
            self._put(depth + 2, f"{reported} = None")
            self._put(depth + 2, f"report{{n}}({atom}, None)")
            if f"last{atom}" in self._slots:
                self._put(depth + 2, f"{self._slots[f'last{atom}']} = never")

    def _keep(self, name: str) -> str:
        """Reserve a slot that keeps a value of the present atom until the next
        evaluation.
        """
        slot = f"kept{{n}}.{name}{self.atoms}"
        self._slots[f"{name}{self.atoms}"] = slot
        return slot

    # values: a name that may hold None begins with v, a value that is always
    # there with c

    def _value(self, tree: ConditionTree, missing: str, depth: int) -> str:
        match tree:
            case (
                NumberTerm(value=value)
                | TextTerm(value=value)
                | YesNoTerm(value=value)
            ):
                return self._bind(value)
            case KeyTerm(key=key):
                name, unset = (
                    self._name(),
                    self._name(cause("not_set", key=key), "u"),
                )
                self._put(
                    depth,
                    f"{name} = {self._bind(self._source.key(key))}.value",
                )
                self._note_cause(missing, f"{name} is None", unset, depth)
                return name
            case SenseCall():
                return self._sense(tree, missing, depth)
            case Arithmetic(sign=sign, left=left, right=right):
                one, other = (
                    self._value(left, missing, depth),
                    self._value(right, missing, depth),
                )
                name = self._name()
                self._put(
                    depth, f"{name} = calculate({sign!r}, {one}, {other})"
                )
                are_known = [
                    f"{side} is not None"
                    for side in (one, other)
                    if side.startswith("v")
                ]
                self._note_cause(
                    missing,
                    " and ".join([f"{name} is None", *are_known]),
                    f"no_number({sign!r}, {other})",
                    depth,
                )
                return name
        return self._inner_truth(tree, depth)

    def _sense(self, tree: SenseCall, missing: str, depth: int) -> str:
        """A name for the value of a sense."""
        sensed = self._source.sense(tree)
        name = self._name()
        if sensed.in_line:
            self._put(depth, f"{name} = {self._in_line_source(sensed)}")
            return name
        got = self._call_sense(sensed, depth)
        self._put(depth, f"{name} = {got}")
        self._put(depth, f"if {got}.__class__ is Reading:")
        self._put(depth + 1, f"{name} = {got}.value")
        reason = f"{got}.cause"
        if sensed.range_m is not None:
            # The atom is more than this sense, so no reader knows which range
            # was left out.
            reason = f"with_range({reason}, {self._bind(sensed.range_m)})"
        self._note_cause(
            missing, f"{got}.cause is not None", reason, depth + 1
        )
        return name

    def _inner_truth(self, tree: ConditionTree, depth: int) -> str:
        """The truth of a condition that stands where a value does. Its atoms
        are not reported.
        """
        inner = ConditionWriter(self._source)
        function, name = (
            self._name(inner.truth(tree).compiled(), "i"),
            self._name(),
        )
        self._put(depth, f"{name} = {function}()")
        return name
