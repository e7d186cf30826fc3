"""What can be asked of a take in a condition, and how each question is
answered for all ticks at once.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.tree import (
    KeyTerm,
    LanguageError,
    NumberTerm,
    SenseCall,
)
from umbrant.expecting.columns import Bools, Column, Numbers
from umbrant.model.problems import did_you_mean
from umbrant.take.record import Outcome

if TYPE_CHECKING:
    from umbrant.expecting.history import TakeSignals


@dataclass(frozen=True)
class Ask:
    """Something that can be asked of a take."""

    phrase: str
    help: str
    count: tuple[int, ...]
    """How many arguments it may have."""
    answer: "Callable[[TakeSignals, SenseCall], Column]"


def _ran(history: "TakeSignals", tree: SenseCall) -> Column:
    spans = history.row(tree.args[0]).spans
    return history.stretches(
        [(each.start, each.last_ran(history.ticks)) for each in spans]
    )


def _entered(history: "TakeSignals", tree: SenseCall) -> Column:
    return history.marks(
        [each.start for each in history.row(tree.args[0]).spans]
    )


def _ended(*outcomes: Outcome) -> Callable[["TakeSignals", SenseCall], Column]:
    def answer(history: "TakeSignals", tree: SenseCall) -> Column:
        spans = history.row(tree.args[0]).spans
        return history.marks(
            [
                each.end
                for each in spans
                if each.end is not None and each.outcome in outcomes
            ]
        )

    return answer


def _refused(history: "TakeSignals", tree: SenseCall) -> Column:
    refusals = history.row(tree.args[0]).refusals.values()
    because = ""
    if len(tree.args) == 2:
        because = history.name_in(tree.args[1]).lower()
    return history.stretches(
        [
            (each.start, each.end)
            for found in refusals
            for each in found
            if because in _said_of(each.cause).lower()
        ]
    )


def _said_of(cause: Cause) -> str:
    return "".join(words for _, words in cause.parts())


def _raised(history: "TakeSignals", tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    steps = [
        *(
            each
            for record in history.take.agents.values()
            for each in record.raised
        ),
        *(
            each
            for record in history.take.agents.values()
            for each in record.received
        ),
    ]
    return history.marks(
        [
            each.tick
            for each in steps
            if each.event == name or each.event.startswith(f"{name}.")
        ]
    )


def _received(history: "TakeSignals", tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    return history.marks(
        [
            each.tick
            for each in history.record.received
            if each.event == name or each.event.startswith(f"{name}.")
        ]
    )


def _changed(history: "TakeSignals", tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    changes = history.record.keys.get(name)
    if changes is None:
        nearest = did_you_mean(name, sorted(history.record.keys))
        raise LanguageError(
            f"{history.agent} has no key '{name}'. {nearest}", tree.span
        )
    values = [each.value for each in changes.values]
    differs = [
        tick
        for tick, now, before in zip(
            changes.ticks[1:], values[1:], values, strict=False
        )
        if now != before
    ]
    return history.marks(differs)


def _is_set(history: "TakeSignals", tree: SenseCall) -> Column:
    found = history.key(_as_key(tree))
    return Column(found.known, np.ones(history.ticks, np.bool_))


def _as_key(tree: SenseCall) -> KeyTerm:
    key = tree.args[0]
    if not isinstance(key, KeyTerm):
        raise LanguageError("write a key here", key.span)
    return key


def _distance(history: "TakeSignals", tree: SenseCall) -> Column:
    if len(tree.args) == 2:
        one, other = history.place(tree.args[0]), history.place(tree.args[1])
    else:
        one, other = history.body(history.agent), history.place(tree.args[0])
    values = np.hypot(one[:, 0] - other[:, 0], one[:, 1] - other[:, 1])
    return Column(values, ~np.isnan(values))


def _stat(history: "TakeSignals", tree: SenseCall) -> Column:
    body, name = (
        (history.agent, history.name_in(tree.args[0]))
        if len(tree.args) == 1
        else (history.name_in(tree.args[1]), history.name_in(tree.args[0]))
    )
    numbers = history.take.body_numbers.get(body, {})
    if name not in numbers:
        nearest = did_you_mean(name, sorted(numbers))
        raise LanguageError(
            f"{body} has no number '{name}'. {nearest}", tree.span
        )
    values = numbers[name][: history.ticks].astype(np.float64)
    return Column(values, ~np.isnan(values))


def _level(history: "TakeSignals", tree: SenseCall) -> Column:
    name = history.name_in(tree.args[0])
    levels = history.take.levels.get(name)
    if levels is None:
        nearest = did_you_mean(name, sorted(history.take.levels))
        raise LanguageError(f"there is no prop '{name}'. {nearest}", tree.span)
    values = levels[: history.ticks].astype(np.float64)
    return Column(values, ~np.isnan(values))


def _said(history: "TakeSignals", tree: SenseCall) -> Column:
    wanted = history.name_in(tree.args[0]).lower()
    return history.marks(
        [
            each.tick
            for each in history.record.said
            if wanted in each.text.lower()
        ]
    )


def _within(history: "TakeSignals", tree: SenseCall) -> Column:
    """Yes up to so long after a tick at which the condition holds."""
    seconds = tree.args[1]
    if not isinstance(seconds, NumberTerm) or seconds.value < 0:
        raise LanguageError("write a number of seconds here", seconds.span)
    found = history.yes_no(tree.args[0])
    ticks = round(seconds.value * history.take.header.ticks_per_s)
    held = _lately(found.values & found.known, ticks)
    # It is unknown where the condition was unknown within that time, and not
    # seen to hold.
    return Column(held, held | ~_lately(~found.known, ticks))


def _lately(marks: Bools, ticks: int) -> Bools:
    """Where there was a mark at this tick or at one of so many before it."""
    places = np.arange(len(marks))
    last: Numbers = np.maximum.accumulate(np.where(marks, places, -np.inf))
    return np.asarray(places - last <= ticks)


def _after(history: "TakeSignals", tree: SenseCall) -> Column:
    found = history.yes_no(tree.args[0])
    held = np.logical_or.accumulate(found.values & found.known)
    return Column(held, held | np.logical_and.accumulate(found.known))


def _before(history: "TakeSignals", tree: SenseCall) -> Column:
    after = _after(history, tree)
    return Column(~after.values, after.known)


def _count(history: "TakeSignals", tree: SenseCall) -> Column:
    found = history.yes_no(tree.args[0])
    holds = found.values & found.known
    begins = holds & ~np.concatenate(([False], holds[:-1]))
    return Column(
        np.cumsum(begins).astype(np.float64), np.ones(history.ticks, np.bool_)
    )


def _how_many(history: "TakeSignals", tree: SenseCall) -> Column:
    """Of how many of those who are of a group, or run a behavior, the
    condition holds.
    """
    name, cast = history.name_in(tree.args[0]), history.take.header.cast
    members = [each for each in cast if name in (each.group, each.behavior)]
    if not members:
        groups = dict.fromkeys(each.group for each in cast if each.group)
        behaviors = dict.fromkeys(
            each.behavior for each in cast if each.behavior
        )
        nearest = did_you_mean(name, [*groups, *behaviors])
        raise LanguageError(
            f"no group and no behavior is called '{name}'. {nearest}",
            tree.span,
        )
    total, errors = np.zeros(history.ticks), list[LanguageError]()
    for each in members:
        try:
            found = history.of(each.name).yes_no(tree.args[1])
        except LanguageError as error:
            errors.append(error)
        else:
            total += found.values & found.known
    # Who has no such row or key is not in it; but what nobody has is a
    # mistake.
    if len(errors) == len(members):
        raise errors[0]
    return Column(total, np.ones(history.ticks, np.bool_))


ASKS: Mapping[str, Ask] = {
    "ran": Ask(
        "ran(1.2)",
        "the row, by number or name, ran; not where it was stopped",
        (1,),
        _ran,
    ),
    "in_state": Ask(
        'in_state("Chase")', "the state, by name, ran", (1,), _ran
    ),
    "entered": Ask(
        "entered(1.2)", "the row was entered at this tick", (1,), _entered
    ),
    "succeeded": Ask(
        "succeeded(1.2)",
        "the row ended with success at this tick",
        (1,),
        _ended(Outcome.SUCCESS),
    ),
    "failed": Ask(
        "failed(1.2)",
        "the row ended with failure at this tick",
        (1,),
        _ended(Outcome.FAILURE),
    ),
    "stopped": Ask(
        "stopped(1.2)",
        "the row was stopped at this tick",
        (1,),
        _ended(Outcome.STOPPED),
    ),
    "refused": Ask(
        'refused(1.2, "cooling")',
        "the row was tried and not entered; for a reason whose words hold this",
        (1, 2),
        _refused,
    ),
    "raised": Ask(
        'raised("alarm.bell")',
        "the event was raised or heard by anybody",
        (1,),
        _raised,
    ),
    "received": Ask(
        'received("alarm")', "the agent received the event", (1,), _received
    ),
    "changed": Ask(
        "changed(alarm)", "the key became another value", (1,), _changed
    ),
    "said": Ask(
        'said("Woof")', "the agent said something that holds this", (1,), _said
    ),
    "is_set": Ask("is_set(last_seen)", "the key has a value", (1,), _is_set),
    "distance": Ask(
        "distance(visitor)",
        "how far away, in metres; or of two",
        (1, 2),
        _distance,
    ),
    "distance_between": Ask(
        "distance_between(odo, visitor)", "how far apart", (2,), _distance
    ),
    "stat": Ask(
        "stat(energy)", "a number of the agent's own body", (1,), _stat
    ),
    "stat_of": Ask(
        "stat_of(energy, tam)", "a number of somebody's body", (2,), _stat
    ),
    "level": Ask("level(lamp_gate)", "the level of a prop", (1,), _level),
    "within": Ask(
        "within(raised(alarm), 2)",
        "the condition has held at this tick, or in so many seconds before it",
        (2,),
        _within,
    ),
    "after": Ask(
        "after(ran(1.2))",
        "it has held at this tick, or at one before it",
        (1,),
        _after,
    ),
    "before": Ask("before(ran(1.2))", "it has not held yet", (1,), _before),
    "count": Ask(
        "count(ran(1.2))",
        "how often it has begun to hold up to this tick",
        (1,),
        _count,
    ),
    "how_many": Ask(
        'how_many(watch, in_state("Chase"))',
        "of how many of a group, or of those with a behavior, it holds",
        (2,),
        _how_many,
    ),
    "time": Ask(
        "time()",
        "the time in the take, in seconds",
        (0,),
        lambda history, _: history.seconds,
    ),
}
"""All that can be asked of a take, by name."""
