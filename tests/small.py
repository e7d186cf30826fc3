"""The smallest projects that show something, and takes of them."""

import re
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from tests.kinds import CATALOG
from umbrant.catalog.causes import SENTENCES, Cause
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Decorator,
    Guard,
    Key,
    Row,
    Upkeep,
    UpkeepMoment,
    Watch,
)
from umbrant.model.documents import Cover, Project
from umbrant.model.staging import Body, Member, Place, Scenario, Stage
from umbrant.model.values import KeyRef
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.record import RowRecord

RATE = 10


def row(row_id: str, kind: str, under: str | None = None, **more: Any) -> Row:
    """A row. `guard` is a condition or (condition, watch); decorators are
    (kind, arguments) and upkeep (kind, seconds or moment, arguments).
    """
    guard = more.pop("guard", None)
    if guard is not None:
        when, watch = (
            guard if isinstance(guard, tuple) else (guard, Watch.ON_ENTRY)
        )
        guard = Guard(when=when, watch=watch)
    return Row(
        id=row_id,
        under=under,
        kind=kind,
        name=more.pop("name", row_id),
        guard=guard,
        decorators=tuple(
            Decorator(kind=kind, args=args)
            for kind, args in more.pop("decorators", ())
        ),
        upkeep=tuple(
            Upkeep(kind=kind, at=when, args=args)
            if isinstance(when, UpkeepMoment)
            else Upkeep(kind=kind, every_s=when, args=args)
            for kind, when, args in more.pop("upkeep", ())
        ),
        muted=more.pop("muted", False),
        binds=more.pop("binds", {}),
        args=more,
    )


def project(*rows: Row, keys: tuple[Key, ...] = (), **more: Any) -> Project:
    """One agent 'a' with these rows on an empty stage of 20 m by 10 m. `cast`
    are members beside it.
    """
    stage = Stage(
        name="yard",
        title="Yard",
        width_m=20,
        height_m=10,
        areas=more.get("areas", ()),
        places=more.get("places", (Place(name="corner", at=(19, 9)),)),
        props=more.get("props", ()),
    )
    agent = Member(
        name="a",
        behavior="b",
        start=more.get("start", (2, 5)),
        keys=more.get("start_keys", {}),
        facing_deg=0,
        group=more.get("group"),
        body=more.get("body", Body()),
    )
    scenario = Scenario(
        name="s",
        title="S",
        stage="yard",
        seed=more.get("seed", 1),
        seconds=more.get("seconds", 2.0),
        ticks_per_s=RATE,
        cast=(agent, *more.get("cast", ())),
        cues=more.get("cues", ()),
    )
    return Project(
        cover=Cover(title="Small", scenario="s"),
        behaviors=(
            Behavior(name="b", title="B", blackboard="k", rows=rows),
            *more.get("behaviors", ()),
        ),
        blackboards=(
            Blackboard(name="k", title="K", keys=keys),
            *more.get("blackboards", ()),
        ),
        stages=(stage,),
        scenarios=(scenario,),
    )


def played(made: Project, *, counts_only: bool = False) -> Take:
    """A take of a project, with the kinds of tests in its catalog."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "t.take"
        order = RollOrder(
            made, made.cover.scenario, path, counts_only=counts_only
        )
        return read_take(roll(order, catalog=CATALOG))


def record(take: Take, row_id: str) -> RowRecord:
    """What is kept of a row of agent 'a'."""
    return take.agents["a"].row(row_id)


def spans(take: Take, row_id: str) -> list[tuple[int, int | None, str | None]]:
    """A row's spans: first tick, last tick, outcome."""
    return [
        (span.start, span.end, span.outcome and span.outcome.value)
        for span in record(take, row_id).spans
    ]


def refusals(
    take: Take, row_id: str, part: str = ""
) -> list[tuple[int, int, str]]:
    """A row's refusals: first tick, last tick, kind of cause."""
    return [
        (each.start, each.end, each.cause.kind)
        for each in record(take, row_id).refusals.get(part, [])
    ]


def values(
    take: Take, name: str, agent: str = "a"
) -> list[tuple[int, object]]:
    """A key's changes: tick and value."""
    changes = take.agents[agent].keys[name]
    return [
        (tick, written.value)
        for tick, written in zip(changes.ticks, changes.values, strict=True)
    ]


def gauges(
    take: Take, row_id: str, part: str = ""
) -> list[tuple[int, float, float | None]]:
    """What a part of a row noted: tick, value, and what it is of."""
    changes = record(take, row_id).gauges.get(part)
    return (
        [
            (tick, each.value, each.of)
            for tick, each in zip(changes.ticks, changes.values, strict=True)
        ]
        if changes
        else []
    )


def key(name: str) -> KeyRef:
    """A parameter bound to a key."""
    return KeyRef(key=name)


def received(take: Take, agent: str) -> list[tuple[int, str, str]]:
    """The events that an agent received: tick, event and who raised it."""
    return [
        (each.tick, each.event, each.other)
        for each in take.agents[agent].received
    ]


def causes_of(take: Take) -> Iterator[Cause]:
    """All causes in a take."""
    for agent in take.agents.values():
        for record in agent.rows.values():
            yield from (each.cause for each in record.spans if each.cause)
            for refusals in record.refusals.values():
                yield from (each.cause for each in refusals)
            for found in record.sensed.values():
                yield from (
                    each.cause for each in found.values if each and each.cause
                )
        for writes in agent.keys.values():
            yield from (each.cause for each in writes.values if each.cause)


def has_all_facts(cause: Cause) -> bool:
    """Whether a cause has each fact that its sentence names."""
    return all(
        name in cause.facts
        for name in re.findall(r"{(\w+)}", SENTENCES[cause.kind])
    )
