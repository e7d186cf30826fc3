"""What is to be seen on the stage now: taken from the take at the playhead, or
from the rehearsal that goes on.
"""

import math
from collections import Counter
from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

from umbrant.catalog.kind import ROWS
from umbrant.desk.views.stage.candidates import CandidateMark, candidates
from umbrant.desk.views.stage.heard import (
    EventLine,
    Moment,
    NoiseRing,
    events,
    noises,
)
from umbrant.desk.views.stage.painting import (
    BodyFigure,
    BodyOutline,
    Cone,
    PropFigure,
    Square,
    StageLook,
    StandingLook,
)
from umbrant.desk.views.stage.rings import (
    Ring,
    condition_rings,
    conditions_of,
    rings,
)
from umbrant.desk.views.stage.sides import TwoSides, two_sides
from umbrant.model.kind_ids import MACHINE
from umbrant.model.staging import Body, Member, Scenario, Stage
from umbrant.model.values import Point, Value
from umbrant.take.record import RowState

if TYPE_CHECKING:
    from umbrant.desk.views.stage.view import StageView

CROWD = 7
"""From how many of a kind on their names give way: they are told where the
mouse rests.
"""
ELSEWHERE_M = 0.05
"""How far apart a body is in two takes, at least, to be drawn twice."""
SAID_S = 2.0
"""How long what was said stays on the stage."""


def standing_of(
    view: "StageView", stage: Stage, scenario: Scenario
) -> StandingLook:
    """What does not move by itself."""
    walking = [
        each.body.radius_m for each in scenario.cast if not each.body.flies
    ]
    off_limits_for_m = None
    if view.arranging:
        # Where the widest of those that walk can go, all can.
        off_limits_for_m = max(walking, default=0.3)
    return StandingLook(
        stage,
        walks=tuple(
            (member.start, *(point.to for point in member.walk))
            for member in scenario.players
            if member.behavior is None and member.walk
        ),
        squares=tuple(
            Square(handle.at, view.chosen == handle.path)
            for handle in view.handles()
        ),
        off_limits_for_m=off_limits_for_m,
        handled=view.is_handled,
    )


def look_of(view: "StageView", stage: Stage, scenario: Scenario) -> StageLook:
    """What moves, at this moment."""
    live, way = view.live, way_of(view)
    here = view.place_of(view.desk.agent)
    tick = 0
    if live is not None and live.frame:
        tick = live.frame.tick
    rehearsed_s = None
    if live is not None:
        rehearsed_s = tick / scenario.ticks_per_s
    if way and here is not None:
        way_ahead = (here[0], *way)
    else:
        way_ahead = ()
    return StageLook(
        things=tuple(_things(view, stage)),
        figures=tuple(_figures(view, scenario)),
        rings=tuple(rings_of(view)),
        sides=tuple(sides_of(view, stage)),
        way=way_ahead,
        cone=_cone(view),
        outlines=tuple(_outlines(view, scenario)),
        noises=tuple(noises_of(view)),
        events=tuple(events_of(view)),
        candidates=tuple(candidates_of(view)),
        guides=view.guides,
        rehearsed_s=rehearsed_s,
    )


def _things(view: "StageView", stage: Stage) -> Iterator[PropFigure]:
    """Each prop that is there."""
    drains = {prop.name for prop in stage.props if prop.drain_per_s > 0}
    for name, at, level in props_now(view, stage):
        yield PropFigure(at, level, name in drains)


def props_now(
    view: "StageView", stage: Stage
) -> Iterator[tuple[str, Point, float]]:
    """Each prop that is there: its name, where it is, and its level."""
    live, take, tick = view.live, view.desk.take, view.desk.playhead
    if live is not None and live.frame is not None:
        yield from (
            (name, (x, y), level)
            for name, (x, y, level) in live.frame.props.items()
        )
    elif take is None:
        yield from ((prop.name, prop.at, prop.level) for prop in stage.props)
    else:
        for name, levels in take.levels.items():
            if tick < len(levels):
                level = float(levels[tick])
            else:
                level = math.nan
            place = None
            if name in take.props:
                place = take.props[name].at(tick)
            if place is not None and not math.isnan(level):
                yield name, place.at, level


def _figures(view: "StageView", scenario: Scenario) -> Iterator[BodyFigure]:
    """Everyone on the stage; who is followed last, so that nobody covers them."""
    many = Counter((each.behavior, each.group) for each in scenario.cast)
    shown = {
        member.name
        for member in scenario.cast
        if many[member.behavior, member.group] < CROWD
    }
    for member in sorted(
        scenario.players, key=lambda each: _is_followed(view, each)
    ):
        found = view.place_of(member.name)
        if found is None:
            continue
        followed = _is_followed(view, member)
        lead, label = None, ""
        if not view.live and member.behavior is not None:
            lead = view.desk.leading(member.name)
        # One of many has no name beside it, unless it is the one that is
        # looked at.
        if followed or member.name in shown:
            label = _label(view, member, followed)
        yield BodyFigure(
            at=found[0],
            heading_deg=found[1],
            radius_m=member.body.radius_m,
            puppet=member.behavior is None,
            lead=lead,
            followed=followed,
            said=_said(view, member.name),
            label=label,
        )


def _outlines(view: "StageView", scenario: Scenario) -> Iterator[BodyOutline]:
    """Those who are elsewhere in the take that this one is compared with."""
    other, tick = view.desk.other_take, view.desk.playhead
    if other is None or view.live is not None or tick >= other.ticks:
        return
    for member in scenario.players:
        poses = other.poses.get(member.name)
        if poses is None or math.isnan(poses[tick][0]):
            continue
        at = float(poses[tick][0]), float(poses[tick][1])
        found = view.place_of(member.name)
        if found is None or math.dist(found[0], at) > ELSEWHERE_M:
            heading = None
            if found:
                heading = found[0]
            yield BodyOutline(at, member.body.radius_m, heading)


def _is_followed(view: "StageView", member: Member) -> bool:
    """Whether it is the one that is looked at; in a rehearsal, the one that is
    steered.
    """
    live = view.live
    return member.name == (
        live.puppet.name
        if live is not None and live.puppet
        else view.desk.agent
    )


def _label(view: "StageView", member: Member, followed: bool) -> str:
    """The name of a body; of who is looked at also what it does."""
    text = member.title or member.name
    doing = ""
    if followed and view.live is None:
        doing = _doing(view)
    if doing:
        return f"{text} · {doing}"
    return text


def _doing(view: "StageView") -> str:
    explainer = view.desk.explainer
    if explainer:
        path = explainer.path(view.desk.playhead)
    else:
        path = ()
    if explainer and path:
        return explainer.names.titles[path[-1]]
    return ""


def _said(view: "StageView", name: str) -> str:
    if view.live is not None:
        return view.live.said_by(name)
    take, tick = view.desk.take, view.desk.playhead
    if take is None or name not in take.agents:
        return ""
    recent = [
        text
        for when, _, text in take.agents[name].said
        if 0 <= tick - when < SAID_S * take.header.ticks_per_s
    ]
    if recent:
        return recent[-1]
    return ""


def _cone(view: "StageView") -> Cone | None:
    """What the agent that is looked at can see."""
    member, found = view.desk.member, view.place_of(view.desk.agent)
    if member is None or found is None or member.behavior is None:
        return None
    return Cone(found[0], found[1], member.body.sight_m, member.body.cone_deg)


def rings_of(view: "StageView") -> Iterator[Ring]:
    """The ranges that the selected row is about; of a machine, those that its
    states go by.
    """
    desk, here, row = view.desk, view.place_of(view.desk.agent), view.desk.row
    if row is None or here is None:
        return
    values = _values(view)
    yield from rings(
        row, desk.catalog, values, here[0], partial(_place_named, view)
    )
    behavior = desk.behavior
    if behavior is None or row.kind not in (MACHINE, "state"):
        return
    seen: set[float] = set()
    for row_id in behavior.outline.within(row.id):
        found = behavior.row(row_id)
        target = behavior.by_id.get(str(found.args.get("to", "")))
        for when in (
            conditions_of(found, desk.catalog.get(found.kind, *ROWS))
            if target
            else ()
        ):
            name = ""
            if target is not None:
                name = target.name
            for ring in condition_rings(
                when, desk.catalog, values, here[0], name
            ):
                if ring.radius_m not in seen:
                    seen.add(ring.radius_m)
                    yield ring


def noises_of(view: "StageView") -> Iterator[NoiseRing]:
    """The noises that still ring; none in a rehearsal, of which there is no
    take yet.
    """
    moment, member = _moment(view), view.desk.member
    if moment is None:
        return
    hearing_m = (member.body if member is not None else Body()).hearing_m
    values, place = partial(_values_at, view), partial(_place_named, view)
    # The take's own cast and behaviors, for the project may have been changed
    # since it was played.
    cast = moment.take.header.cast
    yield from noises(
        moment, cast, view.desk.catalog, values, hearing_m, place
    )


def events_of(view: "StageView") -> list[EventLine]:
    """The events on their way."""
    moment = _moment(view)
    if moment is not None:
        return events(moment, view.desk.agent)
    return []


def _moment(view: "StageView") -> Moment | None:
    take = view.desk.take
    if take is None or view.live is not None:
        return None
    titles = {each.name: each.title or each.name for each in take.header.cast}
    return Moment(take, view.desk.playhead, titles)


def candidates_of(view: "StageView") -> Iterator[CandidateMark]:
    """Those for whom the selected option is scored."""
    explainer, row_id = view.desk.explainer, view.desk.row_id
    if (
        explainer is None
        or view.live is not None
        or row_id not in explainer.outline.number
    ):
        return
    place = partial(_place_named, view)
    yield from candidates(
        explainer.behavior, row_id, explainer.record, view.desk.playhead, place
    )


def sides_of(view: "StageView", stage: Stage) -> Iterator[TwoSides]:
    """The two sides of what the selected row asks."""
    desk, here = view.desk, view.place_of(view.desk.agent)
    if desk.row is None or here is None:
        return
    for when in conditions_of(
        desk.row, desk.catalog.get(desk.row.kind, *ROWS)
    ):
        yield from two_sides(
            when, _values(view), here[0], partial(_place_named, view), stage
        )


def _values(view: "StageView") -> dict[str, Value | None]:
    """What the keys of the agent hold at the playhead."""
    return _values_at(view, view.desk.agent, view.desk.playhead)


def _values_at(
    view: "StageView", agent: str, tick: int
) -> dict[str, Value | None]:
    """What the keys of one of the cast held at a tick."""
    take = view.desk.take
    record = None
    if take is not None:
        record = take.agents.get(agent)
    keys = record.keys.items() if record is not None else ()
    written = {name: changes.at(tick) for name, changes in keys}
    return {
        name: each.value if each else None for name, each in written.items()
    }


def _place_named(view: "StageView", name: str) -> Point | None:
    """Where one of the cast, a prop or a place is at the playhead."""
    found, stage = view.place_of(name), view.shown_stage()
    if found is not None or stage is None:
        if found is not None:
            return found[0]
        return None
    standing: dict[str, Point] = {
        place.name: place.at for place in stage.places
    }
    standing |= {each: at for each, at, _ in props_now(view, stage)}
    return standing.get(name)


def way_of(view: "StageView") -> tuple[Point, ...]:
    """The way of the selected row; of a row that holds others, of the one of
    them that runs.
    """
    explainer, tick = view.desk.explainer, view.desk.playhead
    if explainer is None or view.desk.row_id not in explainer.outline.number:
        return ()
    for row_id in explainer.outline.within(view.desk.row_id):
        record = explainer.record.row(row_id)
        if record.state_at(tick) is RowState.RUNNING:
            way = record.ways.at(tick)
            if way:
                return way
    return ()
