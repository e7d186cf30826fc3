"""The first thing that happened in one of two takes and not in the other.

Rows are matched by their ids and bodies by their names. What counts is what
happened: rows entered, left and refused, keys written, events, speech, where
bodies and props were. The numbers that a condition found do not count as long
as nothing came of them: with 9 m for 8 m in a guard two takes are equal until
that makes a difference.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from enum import IntEnum, StrEnum
from itertools import zip_longest

import numpy as np

from umbrant.engine.board import FORMULA
from umbrant.model.staging import Scenario
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, RowRecord
from umbrant.take.stored.values import Float32Array


class DifferenceKind(StrEnum):
    """What can differ between two takes."""

    CAST = "cast"
    """One of the cast plays in one take only."""
    CUE = "cue"
    """A cue was done in one take, or did something else."""
    PROP = "prop"
    """A prop was elsewhere, or carried by another, or its level was another.
    """
    NUMBER = "number"
    """A number of a body."""
    BODY = "body"
    """Where a body was, or which way it looked."""
    ENTERED = "entered"
    LEFT = "left"
    REFUSED = "refused"
    WROTE = "wrote"
    EVENT = "event"
    SAID = "said"
    NOTICE = "notice"
    LENGTH = "length"
    """One take goes on where the other ends."""


class Phase(IntEnum):
    """The parts of a tick, in their order."""

    CUES = 0
    POSES = 1
    DECISIONS = 2
    FROM_OTHERS = 3
    """What an agent saw of the others' writes; the one who wrote comes first.
    """


@dataclass(frozen=True)
class Difference:
    """One thing that was so in one take only, or otherwise in the other.

    `one` and `other` are what happened in each take, or the values there; None
    where nothing did at this place.
    """

    tick: int
    agent: str
    """Empty for cues and props."""
    kind: DifferenceKind
    subject: str
    """The id of a row, or the name of a key, number, event, prop or body."""
    one: object = None
    other: object = None
    phase: Phase = Phase.DECISIONS

    def plain(self) -> dict[str, object]:
        """The difference as JSON has it."""
        return {
            "tick": self.tick,
            "agent": self.agent,
            "kind": self.kind.value,
            "subject": self.subject,
            "one": self.one,
            "other": self.other,
        }


@dataclass(frozen=True)
class _Event:
    """Something that happened at a tick. Two are the same if all but `order`
    is equal.
    """

    tick: int
    order: tuple[int, int]
    kind: DifferenceKind
    subject: str
    detail: object = None

    @property
    def same(self) -> tuple[object, ...]:
        return self.tick, self.kind, self.subject, self.detail

    def is_about(self, other: "_Event") -> bool:
        """Whether it is the same thing of which both say something."""
        return (self.kind, self.subject) == (other.kind, other.subject)

    @property
    def what(self) -> dict[str, object]:
        """What happened, without where and when."""
        if self.detail is None:
            detail = {}
        else:
            detail = {"detail": self.detail}
        return {"what": self.kind.value, **detail}


LAST_STEP = 2**16
"""The place of what is known only when a tick is over: that a refusal was not
repeated.
"""


def first_difference(
    one: Take, other: Take, *, only_outcome: bool = False
) -> Difference | None:
    """The first difference of two takes, in the order of the tick; None if
    they are equal.

    With `only_outcome` only bodies, props and keys count, so that two
    differently arranged trees can be held against each other.
    """
    by_agent = differences_by_agent(one, other, only_outcome=only_outcome)
    return first_among(one, other, by_agent, only_outcome=only_outcome)


def first_among(
    one: Take,
    other: Take,
    by_agent: Mapping[str, Difference],
    *,
    only_outcome: bool = False,
) -> Difference | None:
    """The same, given what `differences_by_agent` has found."""
    found = [
        *by_agent.values(),
        *_world_differences(one, other, only_outcome=only_outcome),
    ]
    order = {
        name: index
        for index, name in enumerate(_all_names(one.agents, other.agents))
    }
    first = min(
        found,
        key=lambda each: (each.tick, each.phase, order.get(each.agent, -1)),
        default=None,
    )
    ticks = min(one.ticks, other.ticks)
    if one.ticks != other.ticks and first is None:
        return Difference(
            ticks, "", DifferenceKind.LENGTH, "", one.ticks, other.ticks
        )
    return first


def differences_by_agent(
    one: Take, other: Take, *, only_outcome: bool = False
) -> dict[str, Difference]:
    """For each of the cast that did something else the first difference,
    within the ticks that both takes have.
    """
    found: dict[str, Difference] = {}
    for name in _all_names(one.agents, other.agents):
        # Who plays in one take only differs before the first tick; all else
        # that follows comes of that.
        if name not in one.agents or name not in other.agents:
            here, there = name in one.agents, name in other.agents
            found[name] = Difference(
                0, name, DifferenceKind.CAST, name, here, there, Phase.CUES
            )
            continue
        earliest = min(
            _of_agent(one, other, name, only_outcome=only_outcome),
            key=lambda each: (each.tick, each.phase),
            default=None,
        )
        if earliest is not None:
            found[name] = earliest
    return found


def _all_names(one: Iterable[str], other: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys([*one, *other]))


def _of_agent(
    one: Take, other: Take, name: str, *, only_outcome: bool
) -> Iterator[Difference]:
    """The first difference of each kind of thing that is kept of one of the
    cast.
    """
    ticks = min(one.ticks, other.ticks)
    here, there = one.agents[name], other.agents[name]
    if only_outcome:
        decisions = (_values, _values)
    else:
        decisions = (_decisions, _decisions)
    for phase, events in (
        (Phase.DECISIONS, decisions[0]),
        (Phase.CUES, _from_nobody),
        (Phase.FROM_OTHERS, _from_others),
    ):
        parted = _first_apart(events(name, here), events(name, there), ticks)
        if parted is not None:
            yield _difference(name, phase, *parted)
    yield from _sampled(
        name,
        DifferenceKind.BODY,
        {name: one.poses.get(name)},
        {name: other.poses.get(name)},
        ticks,
    )
    yield from _sampled(
        name,
        DifferenceKind.NUMBER,
        one.body_numbers.get(name, {}),
        other.body_numbers.get(name, {}),
        ticks,
    )


def _difference(
    agent: str, phase: Phase, here: _Event | None, there: _Event | None
) -> Difference:
    """The difference between what comes next in each take: the earlier of the
    two is what the other take lacks, or has otherwise.
    """
    both = [each for each in (here, there) if each is not None]
    first = min(both, key=lambda each: (each.tick, each.order))
    return Difference(
        first.tick,
        agent,
        first.kind,
        first.subject,
        _what_at(here, first),
        _what_at(there, first),
        phase,
    )


def _what_at(event: _Event | None, first: _Event) -> object:
    """What an event says, if it is one of the same thing at the same tick."""
    if event is None:
        return None
    if (event.tick, event.subject) != (first.tick, first.subject):
        return None
    return event.what


def _first_apart(
    here: Iterable[_Event], there: Iterable[_Event], ticks: int
) -> tuple[_Event | None, _Event | None] | None:
    """The first event that one take has and the other has not, or not as
    often, within so many ticks, and what the other has in its place; None if
    all are the same.

    Where the same happened in another order, or more often, it is the same
    event twice.
    """
    mine, yours = _sorted(here, ticks), _sorted(there, ticks)
    start = next(
        (
            index
            for index, (one, other) in enumerate(zip_longest(mine, yours))
            if one is None or other is None or one.same != other.same
        ),
        None,
    )
    if start is None:
        return None
    tick = min(each[start].tick for each in (mine, yours) if start < len(each))
    # What comes next in the one may come a little later within the same tick
    # in the other, after something that only that one has.
    at_tick = [
        [each for each in events[start:] if each.tick == tick]
        for events in (mine, yours)
    ]
    left = _without(*at_tick), _without(*reversed(at_tick))
    if not any(left):
        return at_tick[0][0], at_tick[0][0]
    first = min((each[0] for each in left if each), key=_place)
    found = [
        next((each for each in side if each.is_about(first)), None)
        for side in left
    ]
    # The other one may have had it already, and not once more.
    one, other = (
        each or next((had for had in events if had.same == first.same), None)
        for each, events in zip(found, (mine, yours), strict=True)
    )
    return one, other


def _without(events: list[_Event], others: list[_Event]) -> list[_Event]:
    """The events that are not among the others, or not as often."""
    waiting = [each.same for each in others]
    found = []
    for each in events:
        if each.same in waiting:
            waiting.remove(each.same)
        else:
            found.append(each)
    return found


def _place(event: _Event) -> tuple[tuple[int, int], str]:
    return event.order, event.subject


def _sorted(events: Iterable[_Event], ticks: int) -> list[_Event]:
    within = (each for each in events if each.tick < ticks)
    # Where events have no order among themselves, that of their names is the
    # same in both takes.
    return sorted(
        within, key=lambda each: (each.tick, each.order, each.subject)
    )


# what an agent did


def _decisions(name: str, record: AgentRecord) -> Iterator[_Event]:
    """All that an agent did, and what became of its rows."""
    for row_id, row in record.rows.items():
        yield from _of_row(row_id, row)
    for write in record.writes:
        detail = (_plain(write.value), write.row_id)
        # A formula is worked out when something reads it. When within the tick
        # that is says nothing of what happened.
        if write.part == FORMULA:
            place = (LAST_STEP, 0)
        else:
            place = (write.step, 0)
        yield _Event(
            write.tick, place, DifferenceKind.WROTE, write.key, detail
        )
    for kind, events in (
        ("received", record.received),
        ("raised", record.raised),
    ):
        for each in events:
            passed = (kind, each.other, each.row_id)
            yield _Event(
                each.tick,
                (each.step, 0),
                DifferenceKind.EVENT,
                each.event,
                passed,
            )
    for said in record.said:
        yield _Event(
            said.tick, (said.step, 0), DifferenceKind.SAID, "", said.text
        )
    for tick, what, cause in record.notices:
        yield _Event(
            tick, (LAST_STEP, 0), DifferenceKind.NOTICE, what, cause.kind
        )


def _of_row(row_id: str, row: RowRecord) -> Iterator[_Event]:
    for span in row.spans:
        yield _Event(
            span.start, (span.start_step, 0), DifferenceKind.ENTERED, row_id
        )
        if span.end is not None:
            outcome = ""
            if span.outcome:
                outcome = span.outcome.value
            yield _Event(
                span.end,
                (span.end_step, 0),
                DifferenceKind.LEFT,
                row_id,
                outcome,
            )
    for part, refusals in row.refusals.items():
        for number, refusal in enumerate(refusals):
            detail = (part, refusal.cause.kind)
            place = (refusal.step, 0)
            yield _Event(
                refusal.start, place, DifferenceKind.REFUSED, row_id, detail
            )
            # A refusal for another cause at the next tick is a difference of
            # its own; where none follows, that it ended is one.
            goes_on = (
                number + 1 < len(refusals)
                and refusals[number + 1].start == refusal.end
            )
            if not goes_on:
                over = (part, "no more")
                yield _Event(
                    refusal.end + 1,
                    (LAST_STEP, 1),
                    DifferenceKind.REFUSED,
                    row_id,
                    over,
                )


def _values(name: str, record: AgentRecord) -> Iterator[_Event]:
    """What the agent's own keys were at the end of each tick."""
    for key, changes in record.keys.items():
        for tick, written in zip(changes.ticks, changes.values, strict=True):
            if written.agent in ("", name):
                value = (_plain(written.value), "")
                yield _Event(tick, (0, 0), DifferenceKind.WROTE, key, value)


def _from_nobody(name: str, record: AgentRecord) -> Iterator[_Event]:
    """What cues, the start and formulas wrote to keys that several share."""
    own = {(write.tick, write.key) for write in record.writes}
    for key, changes in record.keys.items():
        for tick, written in zip(changes.ticks, changes.values, strict=True):
            if not written.agent and (tick, key) not in own:
                detail = (_plain(written.value), "")
                yield _Event(tick, (0, 0), DifferenceKind.WROTE, key, detail)


def _from_others(name: str, record: AgentRecord) -> Iterator[_Event]:
    """What other agents wrote to keys that they share with this one."""
    for key, changes in record.keys.items():
        for tick, written in zip(changes.ticks, changes.values, strict=True):
            if written.agent not in ("", name):
                detail = (_plain(written.value), written.agent)
                yield _Event(tick, (0, 0), DifferenceKind.WROTE, key, detail)


def _plain(value: object) -> object:
    if isinstance(value, tuple):
        return list(value)
    return value


# what is kept at every tick


def _sampled(
    name: str,
    kind: DifferenceKind,
    here: Mapping[str, Float32Array | None],
    there: Mapping[str, Float32Array | None],
    ticks: int,
) -> Iterator[Difference]:
    """The first tick at which each of some curves is another one."""
    for subject in _all_names(here, there):
        mine, yours = (
            _curve(each.get(subject), ticks) for each in (here, there)
        )
        tick = _first_apart_at(mine, yours)
        if tick is not None:
            one, other = mine[tick].tolist(), yours[tick].tolist()
            yield Difference(
                tick, name, kind, subject, one, other, Phase.POSES
            )


def _curve(found: Float32Array | None, ticks: int) -> Float32Array:
    """A curve over so many ticks; NaN throughout for what is never on the
    stage.
    """
    if found is None:
        return np.full((ticks, 1), np.nan, np.float32)
    return found[:ticks]


def _first_apart_at(one: Float32Array, other: Float32Array) -> int | None:
    """The first index at which two curves differ. NaN, for what is not there,
    is like itself.
    """
    # Compared exactly: equal takes are equal to the last bit, and a tolerance
    # would hide where they part.
    apart = ~((one == other) | (np.isnan(one) & np.isnan(other)))
    if apart.ndim > 1:
        apart = apart.any(axis=1)
    found = np.flatnonzero(apart)
    if len(found):
        return int(found[0])
    return None


# cues and props


def _world_differences(
    one: Take, other: Take, *, only_outcome: bool
) -> Iterator[Difference]:
    ticks = min(one.ticks, other.ticks)
    if not only_outcome:
        parted = _first_apart(_cues(one), _cues(other), ticks)
        if parted is not None:
            yield _difference("", Phase.CUES, *parted)
    parted = _first_apart(_props(one), _props(other), ticks)
    if parted is not None:
        yield _difference("", Phase.POSES, *parted)
    yield from _sampled(
        "", DifferenceKind.PROP, one.levels, other.levels, ticks
    )


def _cues(take: Take) -> Iterator[_Event]:
    scenario = take.header.played
    for index, each in enumerate(take.cues):
        does = _does(scenario, each.cue)
        subject = each.whom
        yield _Event(each.tick, (index, 0), DifferenceKind.CUE, subject, does)


def _does(scenario: Scenario, number: int) -> object:
    """What a cue does, as data. Its number does not count: another cue before
    it changes that.
    """
    if 0 < number <= len(scenario.cues):
        return scenario.cues[number - 1].does.model_dump(mode="json")
    return "arrival"


def _props(take: Take) -> Iterator[_Event]:
    for name, places in take.props.items():
        for tick, place in zip(places.ticks, places.values, strict=True):
            detail = (list(place.at), place.carrier)
            yield _Event(tick, (0, 0), DifferenceKind.PROP, name, detail)
