"""Conditions over the whole of a take: at which of its ticks they hold.

They are written in the language of conditions, with more that can be asked: `ran(1.2)`,
`refused(1.1)`, `raised(alarm.bell)`, `changed(alarm)`. They are worked out from what a take holds,
for all ticks at once, so what an agent would have sensed but did not ask cannot be told: `can_see`
is no question to a take.
"""

import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
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
from umbrant.model.problems import did_you_mean
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, Changes, Outcome, RowRecord

Bools = NDArray[np.bool_]
Numbers = NDArray[np.float64]

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
_BARE = re.compile(r"(?<![\"'\w.])(\d+(?:\.\d+)+)(?![\w.\"'])(?=\s*\))")
"""A row's number as the last thing in brackets, which Python would take for something else."""


@dataclass(frozen=True)
class Column:
    """What a term is at each tick: numbers, texts or yes and no, and where it is known."""

    values: NDArray[Any]
    known: Bools

    @property
    def is_number(self) -> bool:
        """Whether it can be counted with."""
        return self.values.dtype.kind == "f"


@dataclass(frozen=True)
class Ask:
    """Something that can be asked of a take."""

    phrase: str
    help: str
    count: tuple[int, ...]
    """How many arguments it may have."""
    answer: "Callable[[TakeSignals, SenseCall], Column]"


class TakeSignals:
    """What conditions over a take are worked out from, as one of its cast knows it. Raises KeyError
    for a name that is not of the cast.
    """

    def __init__(self, take: Take, agent: str) -> None:
        self.take = take
        self.agent = agent
        self.ticks = take.ticks
        self.record: AgentRecord = take.agents[agent]
        member = next(each for each in take.header.cast if each.name == agent)
        behavior = take.header.expanded(member.behavior).behavior if member.behavior else None
        self.rows = behavior
        self._at = np.arange(self.ticks)

    def holds(self, text: str) -> Bools:
        """At which ticks a condition holds; not where something in it is unknown. Raises
        LanguageError, which names what is wrong.
        """
        tree = parse(_BARE.sub(r'"\1"', text))
        # What is divided by nothing is unknown there, which is no reason to warn.
        with np.errstate(all="ignore"):
            found = self._column(tree)
        if found.values.dtype.kind != "b":
            raise LanguageError(
                "this says how much, not whether; compare it with something", tree.span
            )
        return found.values & found.known

    def numbers(self, text: str) -> Numbers:
        """What a formula comes to at each tick; NaN where something in it is unknown. Raises
        LanguageError.
        """
        with np.errstate(all="ignore"):
            found = self._number(parse(_BARE.sub(r'"\1"', text)))
        return np.where(found.known, found.values.astype(np.float64), np.nan)

    # terms

    def _column(self, tree: ConditionTree) -> Column:
        if isinstance(tree, NumberTerm | TextTerm | YesNoTerm):
            return self._constant(tree)
        match tree:
            case KeyTerm():
                return self._key(tree)
            case SenseCall():
                return self._answered(tree)
            case Negation(part=part):
                inner = self._yes_no(part)
                return Column(~inner.values, inner.known)
            case Conjunction(parts=parts):
                return self._joined([self._yes_no(part) for part in parts], all_of=True)
            case Disjunction(parts=parts):
                return self._joined([self._yes_no(part) for part in parts], all_of=False)
            case Comparison():
                return self._compared(tree)
            case Arithmetic():
                left, right = self._number(tree.left), self._number(tree.right)
                values = COMPUTE[tree.sign](left.values, right.values)
                return Column(values, left.known & right.known & np.isfinite(values))

    def _constant(self, tree: NumberTerm | TextTerm | YesNoTerm) -> Column:
        kinds: dict[type, Any] = {NumberTerm: np.float64, TextTerm: object, YesNoTerm: np.bool_}
        values = np.full(self.ticks, tree.value, kinds[type(tree)])
        return Column(values, np.ones(self.ticks, np.bool_))

    def _yes_no(self, tree: ConditionTree) -> Column:
        found = self._column(tree)
        if found.values.dtype.kind != "b":
            raise LanguageError("this is not yes or no; compare it with something", tree.span)
        return found

    def _number(self, tree: ConditionTree) -> Column:
        found = self._column(tree)
        if not found.is_number:
            raise LanguageError("this is no number", tree.span)
        return found

    def _joined(self, parts: list[Column], *, all_of: bool) -> Column:
        """Parts of an `and` or an `or`. What is unknown decides nothing that the rest decides."""
        # As the engine has it: a part that is no decides an `and` and one that is yes an `or`,
        # whatever the others are.
        known = np.asarray(np.logical_and.reduce([each.known for each in parts]))
        yes = [each.values & each.known for each in parts]
        if all_of:
            no = np.asarray(np.logical_or.reduce([~each.values & each.known for each in parts]))
            return Column(np.asarray(np.logical_and.reduce(yes)), known | no)
        some = np.asarray(np.logical_or.reduce(yes))
        return Column(some, known | some)

    def _compared(self, tree: Comparison) -> Column:
        left, right = self._column(tree.left), self._column(tree.right)
        orders = tree.sign in ("<", "<=", ">", ">=")
        if orders and not (left.is_number and right.is_number):
            raise LanguageError("only numbers can be compared so", tree.span)
        # NumPy would compare a text with a number and say no, and the author would never learn of
        # the mistake.
        if left.values.dtype.kind != right.values.dtype.kind:
            raise LanguageError("these two are of different kinds", tree.span)
        values = COMPARE[tree.sign](left.values, right.values).astype(np.bool_)
        return Column(values, left.known & right.known)

    def _key(self, tree: KeyTerm) -> Column:
        changes = self.record.keys.get(tree.key)
        if changes is None:
            nearest = did_you_mean(tree.key, sorted(self.record.keys))
            raise LanguageError(f"{self.agent} has no key '{tree.key}'. {nearest}", tree.span)
        return self._of_changes([each.value for each in changes.values], changes.ticks)

    def _of_changes(self, found: list[Any], ticks: list[int]) -> Column:
        """A value that is kept where it changes, at every tick."""
        # A change counts from its own tick on. Before the first one the place is -1, which is the
        # extra value at the end of each column below: unknown.
        places = np.searchsorted(np.asarray(ticks, np.int64), self._at, side="right") - 1
        kinds = {type(each) for each in found if each is not None}
        if kinds <= {int, float}:
            numbers = [np.nan if each is None else float(each) for each in found]
            column = np.asarray([*numbers, np.nan])[places]
            return Column(column, (places >= 0) & ~np.isnan(column))
        is_set = np.asarray([*(each is not None for each in found), False])[places]
        if kinds == {bool}:
            column = np.asarray([*(bool(each) for each in found), False])[places]
            return Column(column, (places >= 0) & is_set)
        texts = np.empty(len(found) + 1, object)
        texts[: len(found)] = [str(each) for each in found]
        return Column(texts[places], (places >= 0) & is_set)

    # questions

    def _answered(self, tree: SenseCall) -> Column:
        ask = ASKS.get(tree.sense)
        if ask is None:
            nearest = did_you_mean(tree.sense, sorted(ASKS))
            raise LanguageError(f"a take cannot be asked '{tree.sense}'. {nearest}", tree.span)
        if tree.named or len(tree.args) not in ask.count:
            raise LanguageError(f"write it so: `{ask.phrase}`", tree.span)
        return ask.answer(self, tree)

    def name_in(self, tree: ConditionTree) -> str:
        """The name that an argument is: written with quotes or without, or what a key is called."""
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
            raise LanguageError(f"{self.agent} is a puppet: it has no rows", tree.span)
        row_id = behavior.outline.find(wanted)
        named = [each.id for each in behavior.rows if each.name.lower() == wanted.lower()]
        row_id = row_id or next(iter(named), None) or (wanted if wanted in behavior.by_id else None)
        if row_id is None:
            known = [each.name for each in behavior.rows if each.name]
            nearest = did_you_mean(wanted, known)
            raise LanguageError(f"{self.agent} has no row '{wanted}'. {nearest}", tree.span)
        return self.record.row(row_id)

    def place(self, tree: ConditionTree) -> Numbers:
        """Where one of the cast, a prop or a place is at each tick, as (ticks, 2)."""
        name = self.name_in(tree)
        if isinstance(tree, KeyTerm) and tree.key in self.record.keys:
            return self._place_of_key(self.record.keys[tree.key])
        found = self._place_named(name)
        if found is None:
            nearest = did_you_mean(name, sorted({*self.take.poses, *self.take.props}))
            raise LanguageError(f"nobody and nothing is called '{name}'. {nearest}", tree.span)
        return found

    def body(self, name: str) -> Numbers:
        """Where a body is at each tick."""
        return self.take.poses[name][: self.ticks, :2].astype(np.float64)

    def _place_named(self, name: str) -> Numbers | None:
        if name in self.take.poses:
            return self.body(name)
        stage = self.take.header.project.stage(self.take.header.played.stage)
        at = next((each.at for each in stage.places if each.name == name), None)
        if at is not None:
            return np.tile(np.asarray(at, np.float64), (self.ticks, 1))
        changes = self.take.props.get(name)
        if changes is None:
            return None
        places = np.searchsorted(np.asarray(changes.ticks), self._at, side="right") - 1
        points = np.asarray([*(each.at for each in changes.values), (np.nan, np.nan)])
        return points[places]

    def _place_of_key(self, changes: Changes[Any]) -> Numbers:
        """Where what a key holds is: a point, somebody, or something."""
        found = np.full((self.ticks, 2), np.nan)
        # Each value holds until the next: who is named may move meanwhile, and its own places are
        # taken.
        ends = [*changes.ticks[1:], self.ticks]
        for start, end, written in zip(changes.ticks, ends, changes.values, strict=True):
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
        return Column(self._at / self.take.header.ticks_per_s, np.ones(self.ticks, np.bool_))


def _ran(history: TakeSignals, tree: SenseCall) -> Column:
    spans = history.row(tree.args[0]).spans
    return history.stretches([(each.start, each.last_ran(history.ticks)) for each in spans])


def _entered(history: TakeSignals, tree: SenseCall) -> Column:
    return history.marks([each.start for each in history.row(tree.args[0]).spans])


def _ended(*outcomes: Outcome) -> Callable[[TakeSignals, SenseCall], Column]:
    def answer(history: TakeSignals, tree: SenseCall) -> Column:
        spans = history.row(tree.args[0]).spans
        return history.marks(
            [each.end for each in spans if each.end is not None and each.outcome in outcomes]
        )

    return answer


def _refused(history: TakeSignals, tree: SenseCall) -> Column:
    refusals = history.row(tree.args[0]).refusals.values()
    return history.stretches([(each.start, each.end) for found in refusals for each in found])


def _raised(history: TakeSignals, tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    steps = [
        *(each for record in history.take.agents.values() for each in record.raised),
        *(each for record in history.take.agents.values() for each in record.received),
    ]
    return history.marks(
        [each.tick for each in steps if each.event == name or each.event.startswith(f"{name}.")]
    )


def _received(history: TakeSignals, tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    return history.marks(
        [
            each.tick
            for each in history.record.received
            if each.event == name or each.event.startswith(f"{name}.")
        ]
    )


def _changed(history: TakeSignals, tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    changes = history.record.keys.get(name)
    if changes is None:
        nearest = did_you_mean(name, sorted(history.record.keys))
        raise LanguageError(f"{history.agent} has no key '{name}'. {nearest}", tree.span)
    values = [each.value for each in changes.values]
    differs = [
        tick
        for tick, now, before in zip(changes.ticks[1:], values[1:], values, strict=False)
        if now != before
    ]
    return history.marks(differs)


def _is_set(history: TakeSignals, tree: SenseCall) -> Column:
    found = history._key(_as_key(tree))
    return Column(found.known, np.ones(history.ticks, np.bool_))


def _as_key(tree: SenseCall) -> KeyTerm:
    key = tree.args[0]
    if not isinstance(key, KeyTerm):
        raise LanguageError("write a key here", key.span)
    return key


def _distance(history: TakeSignals, tree: SenseCall) -> Column:
    if len(tree.args) == 2:
        one, other = history.place(tree.args[0]), history.place(tree.args[1])
    else:
        one, other = history.body(history.agent), history.place(tree.args[0])
    values = np.hypot(one[:, 0] - other[:, 0], one[:, 1] - other[:, 1])
    return Column(values, ~np.isnan(values))


def _stat(history: TakeSignals, tree: SenseCall) -> Column:
    body, name = (
        (history.agent, history.name_in(tree.args[0]))
        if len(tree.args) == 1
        else (history.name_in(tree.args[1]), history.name_in(tree.args[0]))
    )
    numbers = history.take.body_numbers.get(body, {})
    if name not in numbers:
        nearest = did_you_mean(name, sorted(numbers))
        raise LanguageError(f"{body} has no number '{name}'. {nearest}", tree.span)
    values = numbers[name][: history.ticks].astype(np.float64)
    return Column(values, ~np.isnan(values))


def _level(history: TakeSignals, tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    levels = history.take.levels.get(name)
    if levels is None:
        nearest = did_you_mean(name, sorted(history.take.levels))
        raise LanguageError(f"there is no prop '{name}'. {nearest}", tree.span)
    values = levels[: history.ticks].astype(np.float64)
    return Column(values, ~np.isnan(values))


def _said(history: TakeSignals, tree: SenseCall) -> Column:
    wanted = history.name_in(tree.args[0]).lower()
    return history.marks([each.tick for each in history.record.said if wanted in each.text.lower()])


ASKS: Mapping[str, Ask] = {
    "ran": Ask("ran(1.2)", "the row, by number or name, ran; not where it was stopped", (1,), _ran),
    "in_state": Ask('in_state("Chase")', "the state, by name, ran", (1,), _ran),
    "entered": Ask("entered(1.2)", "the row was entered at this tick", (1,), _entered),
    "succeeded": Ask(
        "succeeded(1.2)", "the row ended with success at this tick", (1,), _ended(Outcome.SUCCESS)
    ),
    "failed": Ask(
        "failed(1.2)", "the row ended with failure at this tick", (1,), _ended(Outcome.FAILURE)
    ),
    "stopped": Ask(
        "stopped(1.2)", "the row was stopped at this tick", (1,), _ended(Outcome.STOPPED)
    ),
    "refused": Ask("refused(1.2)", "the row was tried and not entered", (1,), _refused),
    "raised": Ask(
        'raised("alarm.bell")', "the event was raised or heard by anybody", (1,), _raised
    ),
    "received": Ask('received("alarm")', "the agent received the event", (1,), _received),
    "changed": Ask("changed(alarm)", "the key became another value", (1,), _changed),
    "said": Ask('said("Woof")', "the agent said something that holds this", (1,), _said),
    "is_set": Ask("is_set(last_seen)", "the key has a value", (1,), _is_set),
    "distance": Ask("distance(visitor)", "how far away, in metres; or of two", (1, 2), _distance),
    "distance_between": Ask("distance_between(odo, visitor)", "how far apart", (2,), _distance),
    "stat": Ask("stat(energy)", "a number of the agent's own body", (1,), _stat),
    "stat_of": Ask("stat_of(energy, tam)", "a number of somebody's body", (2,), _stat),
    "level": Ask("level(lamp_gate)", "the level of a prop", (1,), _level),
    "time": Ask(
        "time()", "the time in the take, in seconds", (0,), lambda history, _: history.seconds
    ),
}
"""All that can be asked of a take, by name."""


def stretches_of(holds: Bools) -> list[tuple[int, int]]:
    """The stretches of ticks, both ends included, at which something holds."""
    padded = np.concatenate(([False], holds, [False])).astype(np.int8)
    steps = np.diff(padded)
    starts, ends = np.flatnonzero(steps == 1), np.flatnonzero(steps == -1) - 1
    return list(zip(starts.tolist(), ends.tolist(), strict=True))
