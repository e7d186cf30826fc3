"""Conditions over the whole of a take: at which of its ticks they hold.

They are written in the language of conditions, with more that can be asked:
`ran(1.2)`, `refused(1.1)`, `raised(alarm.bell)`, `changed(alarm)`. They are
worked out from what a take holds, for all ticks at once, so what an agent
would have sensed but did not ask cannot be told: `can_see` is no question to a
take.
"""

import operator
import re
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    NumberTerm,
    SenseCall,
    TextTerm,
    YesNoTerm,
    parse,
)
from umbrant.expecting.columns import Bools, Column, Numbers
from umbrant.expecting.questions import ASKS
from umbrant.model.problems import did_you_mean
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, Changes, RowRecord

COMPARE: Mapping[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
COMPUTE: Mapping[str, Callable[[Any, Any], Any]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
}
_BARE = re.compile(r"(\w\(\s*)(\d+(?:\.\d+)+)(?=\s*[,)])")
"""A row's number as the first thing that a question is given, which Python
would take for something else.
"""


class TakeSignals:
    """What conditions over a take are worked out from, as one of its cast
    knows it. Raises KeyError for a name that is not of the cast.
    """

    def __init__(self, take: Take, agent: str) -> None:
        self.take = take
        self.agent = agent
        self.ticks = take.ticks
        self.record: AgentRecord = take.agents[agent]
        member = next(each for each in take.header.cast if each.name == agent)
        behavior = None
        if member.behavior:
            behavior = take.header.expanded(member.behavior).behavior
        self.rows = behavior
        self._at = np.arange(self.ticks)

    def holds(self, text: str) -> Bools:
        """At which ticks a condition holds; not where something in it is
        unknown. Raises LanguageError, which names what is wrong.
        """
        tree = _read(text)
        # What is divided by nothing is unknown there, which is no reason to
        # warn.
        with np.errstate(all="ignore"):
            found = self._column(tree)
        if found.values.dtype.kind != "b":
            raise LanguageError(
                "this says how much, not whether; compare it with something",
                tree.span,
            )
        return found.values & found.known

    def numbers(self, text: str) -> Numbers:
        """What a formula comes to at each tick; NaN where something in it is
        unknown. Raises LanguageError.
        """
        with np.errstate(all="ignore"):
            found = self._number(_read(text))
        return np.where(found.known, found.values.astype(np.float64), np.nan)

    # terms

    def _column(self, tree: ConditionTree) -> Column:
        if isinstance(tree, NumberTerm | TextTerm | YesNoTerm):
            return self._constant(tree)
        match tree:
            case KeyTerm():
                return self.key(tree)
            case SenseCall():
                return self._answered(tree)
            case Negation(part=part):
                inner = self.yes_no(part)
                return Column(~inner.values, inner.known)
            case Conjunction(parts=parts):
                return self._joined(
                    [self.yes_no(part) for part in parts], all_of=True
                )
            case Disjunction(parts=parts):
                return self._joined(
                    [self.yes_no(part) for part in parts], all_of=False
                )
            case Comparison():
                return self._compared(tree)
            case Arithmetic():
                left, right = self._number(tree.left), self._number(tree.right)
                values = COMPUTE[tree.sign](left.values, right.values)
                return Column(
                    values, left.known & right.known & np.isfinite(values)
                )

    def _constant(self, tree: NumberTerm | TextTerm | YesNoTerm) -> Column:
        kinds: dict[type, Any] = {
            NumberTerm: np.float64,
            TextTerm: object,
            YesNoTerm: np.bool_,
        }
        values = np.full(self.ticks, tree.value, kinds[type(tree)])
        return Column(values, np.ones(self.ticks, np.bool_))

    def yes_no(self, tree: ConditionTree) -> Column:
        """Whether something is so at each tick. Raises LanguageError where it
        is no yes or no.
        """
        found = self._column(tree)
        if found.values.dtype.kind != "b":
            raise LanguageError(
                "this is not yes or no; compare it with something", tree.span
            )
        return found

    def _number(self, tree: ConditionTree) -> Column:
        found = self._column(tree)
        if not found.is_number:
            raise LanguageError("this is no number", tree.span)
        return found

    def _joined(self, parts: list[Column], *, all_of: bool) -> Column:
        """Parts of an `and` or an `or`. What is unknown decides nothing that
        the rest decides.
        """
        # As the engine has it: a part that is no decides an `and` and one that
        # is yes an `or`, whatever the others are.
        known = np.asarray(
            np.logical_and.reduce([each.known for each in parts])
        )
        yes = [each.values & each.known for each in parts]
        if all_of:
            no = np.asarray(
                np.logical_or.reduce(
                    [~each.values & each.known for each in parts]
                )
            )
            return Column(np.asarray(np.logical_and.reduce(yes)), known | no)
        some = np.asarray(np.logical_or.reduce(yes))
        return Column(some, known | some)

    def _compared(self, tree: Comparison) -> Column:
        left, right = self._column(tree.left), self._column(tree.right)
        orders = tree.sign in ("<", "<=", ">", ">=")
        if orders and not (left.is_number and right.is_number):
            raise LanguageError("only numbers can be compared so", tree.span)
        # NumPy would compare a text with a number and say no, and the author
        # would never learn of the mistake.
        if left.values.dtype.kind != right.values.dtype.kind:
            raise LanguageError("these two are of different kinds", tree.span)
        values = COMPARE[tree.sign](left.values, right.values).astype(np.bool_)
        return Column(values, left.known & right.known)

    def key(self, tree: KeyTerm) -> Column:
        """What a key holds at each tick. Raises LanguageError where there is
        none of the name.
        """
        changes = self.record.keys.get(tree.key)
        if changes is None:
            nearest = did_you_mean(tree.key, sorted(self.record.keys))
            raise LanguageError(
                f"{self.agent} has no key '{tree.key}'. {nearest}", tree.span
            )
        return self._of_changes(
            [each.value for each in changes.values], changes.ticks
        )

    def _of_changes(self, found: list[Any], ticks: list[int]) -> Column:
        """A value that is kept where it changes, at every tick."""
        # A change counts from its own tick on. Before the first one the place
        # is -1, which is the extra value at the end of each column below:
        # unknown.
        places = (
            np.searchsorted(
                np.asarray(ticks, np.int64), self._at, side="right"
            )
            - 1
        )
        kinds = {type(each) for each in found if each is not None}
        if kinds <= {int, float}:
            numbers = [
                np.nan if each is None else float(each) for each in found
            ]
            column = np.asarray([*numbers, np.nan])[places]
            return Column(column, (places >= 0) & ~np.isnan(column))
        is_set = np.asarray([*(each is not None for each in found), False])[
            places
        ]
        if kinds == {bool}:
            column = np.asarray([*(bool(each) for each in found), False])[
                places
            ]
            return Column(column, (places >= 0) & is_set)
        texts = np.empty(len(found) + 1, object)
        texts[: len(found)] = [str(each) for each in found]
        return Column(texts[places], (places >= 0) & is_set)

    # questions

    def of(self, agent: str) -> "TakeSignals":
        """The same take, as another of the cast knows it."""
        if agent == self.agent:
            return self
        return TakeSignals(self.take, agent)

    def _answered(self, tree: SenseCall) -> Column:
        ask = ASKS.get(tree.sense)
        if ask is None:
            nearest = did_you_mean(tree.sense, sorted(ASKS))
            raise LanguageError(
                f"a take cannot be asked '{tree.sense}'. {nearest}", tree.span
            )
        if tree.named or len(tree.args) not in ask.count:
            raise LanguageError(f"write it so: `{ask.phrase}`", tree.span)
        return ask.answer(self, tree)

    def name_in(self, tree: ConditionTree) -> str:
        """The name that an argument is: written with quotes or without, or
        what a key is called.
        """
        if isinstance(tree, TextTerm):
            return tree.value
        if isinstance(tree, KeyTerm):
            return tree.key
        if isinstance(tree, NumberTerm):
            return f"{tree.value:g}"
        raise LanguageError("write a name here", tree.span)

    def row(self, tree: ConditionTree) -> RowRecord:
        """The record of a row that is told by its number, its name or its id."""
        wanted = self.name_in(tree)
        behavior = self.rows
        if behavior is None:
            raise LanguageError(
                f"{self.agent} is a puppet: it has no rows", tree.span
            )
        found = behavior.rows_called(wanted)
        if not found:
            known = [each.name for each in behavior.rows if each.name]
            nearest = did_you_mean(wanted, known)
            raise LanguageError(
                f"{self.agent} has no row '{wanted}'. {nearest}", tree.span
            )
        return self.record.row(found[0])

    def place(self, tree: ConditionTree) -> Numbers:
        """Where one of the cast, a prop or a place is at each tick, as (ticks,
        2).
        """
        name = self.name_in(tree)
        if isinstance(tree, KeyTerm) and tree.key in self.record.keys:
            return self._place_of_key(self.record.keys[tree.key])
        found = self._place_named(name)
        if found is None:
            nearest = did_you_mean(
                name, sorted({*self.take.poses, *self.take.props})
            )
            raise LanguageError(
                f"nobody and nothing is called '{name}'. {nearest}", tree.span
            )
        return found

    def body(self, name: str) -> Numbers:
        """Where a body is at each tick; not known at any where the take does
        not say it.
        """
        poses = self.take.poses.get(name)
        if poses is None:
            return np.full((self.ticks, 2), np.nan)
        return poses[: self.ticks, :2].astype(np.float64)

    def _place_named(self, name: str) -> Numbers | None:
        if (
            name in self.take.poses
            or self.take.header.played.find_player(name) is not None
        ):
            return self.body(name)
        stage = self.take.header.project.stage(self.take.header.played.stage)
        at = next(
            (each.at for each in stage.places if each.name == name), None
        )
        if at is not None:
            return np.tile(np.asarray(at, np.float64), (self.ticks, 1))
        changes = self.take.props.get(name)
        if changes is None:
            return None
        places = (
            np.searchsorted(np.asarray(changes.ticks), self._at, side="right")
            - 1
        )
        points = np.asarray(
            [*(each.at for each in changes.values), (np.nan, np.nan)]
        )
        return points[places]

    def _place_of_key(self, changes: Changes[Any]) -> Numbers:
        """Where what a key holds is: a point, somebody, or something."""
        found = np.full((self.ticks, 2), np.nan)
        # Each value holds until the next: who is named may move meanwhile, and
        # its own places are taken.
        ends = [*changes.ticks[1:], self.ticks]
        for start, end, written in zip(
            changes.ticks, ends, changes.values, strict=True
        ):
            value = written.value
            if isinstance(value, tuple):
                found[start:end] = value
            elif isinstance(value, str):
                places = self._place_named(value)
                if places is not None:
                    found[start:end] = places[start:end]
        return found

    def marks(self, ticks: "list[int] | NDArray[Any]") -> Column:
        """Yes at these ticks, no at all others."""
        values = np.zeros(self.ticks, np.bool_)
        values[[tick for tick in ticks if 0 <= tick < self.ticks]] = True
        return Column(values, np.ones(self.ticks, np.bool_))

    def stretches(self, found: "list[tuple[int, int]]") -> Column:
        """Yes from each first to each last tick."""
        values = np.zeros(self.ticks, np.bool_)
        for start, end in found:
            values[start : end + 1] = True
        return Column(values, np.ones(self.ticks, np.bool_))

    @property
    def seconds(self) -> Column:
        """The time of each tick."""
        return Column(
            self._at / self.take.header.ticks_per_s,
            np.ones(self.ticks, np.bool_),
        )


def _read(text: str) -> ConditionTree:
    return parse(_BARE.sub(r'\1"\2"', text))


def stretches_of(holds: Bools) -> list[tuple[int, int]]:
    """The stretches of ticks, both ends included, at which something holds."""
    padded = np.concatenate(([False], holds, [False])).astype(np.int8)
    steps = np.diff(padded)
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1) - 1
    return list(zip(starts.tolist(), ends.tolist(), strict=True))
