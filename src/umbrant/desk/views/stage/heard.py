"""What is on its way between agents at the playhead: noises that still ring,
and events from who raised them to who receives them. Knows nothing of Qt.
"""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

from umbrant.catalog.kind import Catalog, Family, Kind, NoiseFact
from umbrant.desk.views.stage.rings import PlaceOf, Values, target_of
from umbrant.model.behaviors import Row
from umbrant.model.parts import ROW, part_name
from umbrant.model.staging import Member
from umbrant.model.values import KeyRef, ParamValue, Point
from umbrant.stage.world import RINGS_S
from umbrant.take.reader import Take
from umbrant.take.record import Outcome, RowRecord

SHOWN_S = 0.6
"""How long an event is shown after it was received: most are received in the
very next tick.
"""
ValuesAt = Callable[[str, int], Values]
"""Gives what the keys of one of the cast held at a tick."""
MOST_RINGING = 20
"""How many noises of one row are shown at once: one that is made at every tick
is one ring.
"""
MOST_EVENTS = 40
"""How many events are shown at once; in a crowd those of the agent that is
looked at come first.
"""


@dataclass(frozen=True)
class NoiseRing:
    """A noise that still rings: how far it is heard by a body that hears as
    the one looked at.
    """

    centre: Point
    radius_m: float
    left: float
    """How much of the time is left for which it rings, from 1 down to 0."""
    words: str


@dataclass(frozen=True)
class EventLine:
    """An event on its way from one body to another."""

    start: Point
    end: Point
    travelled: float
    """How far it has come, from 0 to 1."""
    left: float
    """How much of the time is left for which it is shown, from 1 down to 0."""
    name: str
    words: str


@dataclass(frozen=True)
class Moment:
    """A tick of a take, and where everybody is at it and was before."""

    take: Take
    tick: int
    titles: Mapping[str, str]
    """What each of the cast is called."""

    @property
    def rate(self) -> float:
        """How many ticks a second has."""
        return self.take.header.ticks_per_s

    def place(self, name: str, tick: int) -> Point | None:
        """Where one of the cast was at a tick; None if it was not on the
        stage.
        """
        poses = self.take.poses.get(name)
        if (
            poses is None
            or not 0 <= tick < len(poses)
            or math.isnan(poses[tick][0])
        ):
            return None
        return float(poses[tick][0]), float(poses[tick][1])

    def ago(self, tick: int) -> str:
        """How long ago a tick was, in words."""
        return f"{(self.tick - tick) / self.rate:.2f} s ago"


# noises


def noises(
    moment: Moment,
    members: Iterable[Member],
    catalog: Catalog,
    values_at: ValuesAt,
    hearing_m: float,
    place_of: PlaceOf,
) -> Iterator[NoiseRing]:
    """The noises of some of the cast that still ring, by what their rows did:
    as loud as they are set up, or as the keys said when they were made.
    `hearing_m` is how far a noise of loudness 1 is heard.
    """
    # Once for each behavior, for most rows make no noise and many of a cast
    # may run the same ones.
    sources: dict[str, list[NoiseSource]] = {}
    for member in members:
        record, name = moment.take.agents.get(member.name), member.behavior
        if record is None or name is None:
            continue
        if name not in sources:
            behavior = moment.take.header.expanded(name).behavior
            sources[name] = [
                each
                for row in behavior.rows
                for each in _sources(row, catalog)
            ]
        for source in sources[name]:
            kept = record.rows.get(source.row.id)
            for tick in (
                _made_at(kept, source, moment) if kept is not None else ()
            ):
                yield from _rings(
                    moment,
                    member,
                    source,
                    tick,
                    values_at,
                    hearing_m,
                    place_of,
                )


@dataclass(frozen=True)
class NoiseSource:
    """What of a row makes a noise: its action, or one of its upkeep."""

    row: Row
    kind: Kind
    noise: NoiseFact
    args: Mapping[str, ParamValue]
    part: str
    """The part that it is recorded under."""


def _sources(row: Row, catalog: Catalog) -> Iterator[NoiseSource]:
    # A take has when a row was entered and left, which is not when its work
    # began under the others.
    decorators = [
        catalog.get(each.kind, Family.DECORATOR) for each in row.decorators
    ]
    is_recorded = all(
        kind is not None and kind.keeps_work for kind in decorators
    )
    if is_recorded:
        parts = [(row.kind, row.args, ROW)]
    else:
        parts = []
    for index, upkeep in enumerate(row.upkeep):
        parts.append((upkeep.kind, upkeep.args, part_name("upkeep", index)))
    for name, args, part in parts:
        kind = catalog.get(name, Family.ACTION)
        if kind is not None and kind.noise is not None:
            yield NoiseSource(row, kind, kind.noise, args, part)


def _rings(
    moment: Moment,
    member: Member,
    source: NoiseSource,
    tick: int,
    values_at: ValuesAt,
    hearing_m: float,
    place_of: PlaceOf,
) -> Iterator[NoiseRing]:
    """The ring of a noise that was made at a tick; none where nobody knows its
    place.
    """
    values = values_at(member.name, tick)
    at = moment.place(member.name, tick)
    if source.noise.at_target:
        # Who was struck may have gone on since; what is no body stands where
        # it stood.
        at = target_of(
            source.kind,
            source.args,
            values,
            lambda name: moment.place(name, tick) or place_of(name),
        )
    loudness = _loudness(source, values)
    if at is not None and loudness > 0:
        yield _ring(moment, member, source.row, at, loudness * hearing_m, tick)


def _ring(
    moment: Moment,
    member: Member,
    row: Row,
    at: Point,
    radius_m: float,
    tick: int,
) -> NoiseRing:
    who = moment.titles.get(member.name, member.name)
    words = (
        f"a noise of {who} ({row.name or row.kind}), {moment.ago(tick)} · heard up to "
        f"{radius_m:.1f} m away"
    )
    age_s = (moment.tick - tick) / moment.rate
    return NoiseRing(at, radius_m, 1.0 - age_s / RINGS_S, words)


def _made_at(
    record: RowRecord, source: NoiseSource, moment: Moment
) -> Iterator[int]:
    """The ticks of the last seconds at which a part of a row made its noise."""
    first = moment.tick - math.ceil(RINGS_S * moment.rate) + 1
    if source.part != ROW:
        done = record.times_done.get(source.part, [])
        since = bisect_left(done, first, key=lambda each: each[0])
        until = bisect_right(done, moment.tick, key=lambda each: each[0])
        yield from (tick for tick, _ in done[since:until])
        return
    begun = bisect_right(
        record.spans, moment.tick, key=lambda each: each.start
    )
    for span in reversed(record.spans[max(0, begun - MOST_RINGING) : begun]):
        if source.noise.at_end:
            tick = span.end
        else:
            tick = span.start
        is_made = not source.noise.at_end or span.outcome is Outcome.SUCCESS
        if is_made and tick is not None and first <= tick <= moment.tick:
            yield tick


def _loudness(source: NoiseSource, values: Values) -> float:
    """How loud a noise is; 0 where nobody knows."""
    loudness = source.noise.loudness
    if not isinstance(loudness, str):
        return loudness
    param = source.kind.param(loudness)
    default = None
    if param is not None:
        default = param.default
    given = source.args.get(loudness, default)
    found = values.get(given.key) if isinstance(given, KeyRef) else given
    if isinstance(found, int | float):
        return float(found)
    return 0.0


# events


def events(moment: Moment, looked_at: str) -> list[EventLine]:
    """The events on their way, those of the agent that is looked at first."""
    found = [
        (looked_at not in (sender, receiver), line)
        for receiver in moment.take.agents
        for sender, line in _events_to(moment, receiver)
    ]
    return [line for _, line in sorted(found, key=lambda each: each[0])][
        :MOST_EVENTS
    ]


def _events_to(
    moment: Moment, receiver: str
) -> Iterator[tuple[str, EventLine]]:
    """The events that one of the cast receives soon, or did not long ago, with
    who raised them.
    """
    received = moment.take.agents[receiver].received
    shown = SHOWN_S * moment.rate
    since = bisect_right(
        received, moment.tick - shown, key=lambda each: each.tick
    )
    for each in received[since:]:
        raised = _raised_at(moment, each.other, each.event, each.tick)
        # What is received later was raised later, but for what is delayed; and
        # a delay is short.
        if raised is None or raised > moment.tick:
            continue
        start, end = (
            moment.place(each.other, raised),
            moment.place(receiver, moment.tick),
        )
        if start is None or end is None or each.other == receiver:
            continue
        under_way = max(1, each.tick - raised)
        is_there = each.tick <= moment.tick
        when = "received " + moment.ago(each.tick)
        if not is_there:
            when = (
                f"received in {(each.tick - moment.tick) / moment.rate:.2f} s"
            )
        titles = (
            moment.titles.get(each.other, each.other),
            moment.titles.get(receiver, receiver),
        )
        yield (
            each.other,
            EventLine(
                start,
                end,
                min(1.0, (moment.tick - raised) / under_way),
                1.0 - max(0, moment.tick - each.tick) / shown,
                each.event,
                f"{each.event} from {titles[0]} to {titles[1]} · {when}",
            ),
        )


def _raised_at(
    moment: Moment, sender: str, event: str, before: int
) -> int | None:
    """When an event was raised that was received at a tick; None for one of a
    cue.
    """
    record = moment.take.agents.get(sender)
    if record is None:
        return None
    raised = record.raised
    for index in range(
        bisect_left(raised, before, key=lambda each: each.tick) - 1, -1, -1
    ):
        if raised[index].event == event:
            return raised[index].tick
    return None
