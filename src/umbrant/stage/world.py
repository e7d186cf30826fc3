"""The stage at work: bodies move along their ways, puppets follow their walks, props drain."""

from collections.abc import Sequence
from typing import Protocol

from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import distance_m, length_m
from umbrant.catalog.world import BodyView, PropView, Sight, Way
from umbrant.model.documents import Member, Scenario, Stage
from umbrant.model.values import Point
from umbrant.stage.bodies import StageBody, StageProp
from umbrant.stage.ground import Ground, Sightlines, ground_of, why_off
from umbrant.stage.walk import Walk

STRAY_M = 1.0
"""How far a goal may move before the way to it is searched anew; until then only its last stretch follows the goal."""


class Listener(Protocol):
    """Hears what happens on a stage besides movement."""

    def said(self, name: str, text: str) -> None:
        """A body said something."""

    def noticed(self, name: str, what: str, cause: Cause) -> None:
        """Something of the scenario cannot be done as written; `what` names it."""


class StageWorld:
    """A stage with its cast. One tick is `begin`, then every agent's decisions, then `finish`."""

    def __init__(self, stage: Stage, scenario: Scenario, listener: Listener) -> None:
        self.tick_s = 1.0 / scenario.ticks_per_s
        self.now_s = 0.0
        self.bodies = {member.name: StageBody.of(member) for member in scenario.cast}
        self.all_props = [StageProp.of(prop) for prop in stage.props]
        self._listener = listener
        self._places = {place.name: place.at for place in stage.places}
        self._props = {prop.name: prop for prop in self.all_props}
        self._sightlines = Sightlines(stage)
        radii = sorted({body.radius_m for body in self.bodies.values()})
        self._grounds = {radius: ground_of(stage, radius) for radius in radii}
        self._walks = {member.name: self._walk(member) for member in scenario.cast if member.behavior is None}
        self._rate = scenario.ticks_per_s
        self._check_starts(scenario.cast)

    def begin(self, tick: int) -> None:
        """Move on to a tick: puppets are where their walk has them at its start."""
        self.now_s = tick / self._rate
        for name, walk in self._walks.items():
            body = self.bodies[name]
            body.place, body.heading_deg = walk.at(self.now_s)
        for body in self.bodies.values():
            body.speed_m_s = 0.0

    def finish(self) -> None:
        """Do what the bodies meant to do during this tick."""
        for body in self.bodies.values():
            if body.speed_m_s > 0:
                body.advance(self.tick_s)
            else:
                body.corners, body.goal = [], None
        for prop in self.all_props:
            prop.drain(self.tick_s)

    def body(self, name: str) -> BodyView | None:
        return self.bodies.get(name)

    def prop(self, name: str) -> PropView | None:
        return self._props.get(name)

    def props(self, group: str) -> Sequence[PropView]:
        return [prop for prop in self.all_props if prop.group == group]

    def place(self, name: str) -> Point | None:
        return self._places.get(name)

    def look(self, start: Point, end: Point) -> Sight:
        return Sight(self._sightlines.blocked_by(start, end))

    def head_for(self, name: str, goal: Point, reach_m: float, speed_m_s: float) -> Way:
        """Have a body go on towards a point. It goes no nearer than `reach_m`, measured along the way."""
        body = self.bodies[name]
        ground = self._grounds[body.radius_m]
        way = self._way_on(body, ground, goal, reach_m)
        if way.cause:
            return way
        body.corners = list(way.corners)
        body.speed_m_s = min(speed_m_s, max(0.0, way.left_m - reach_m * 0.9) / self.tick_s)
        return way

    def turn(self, name: str, heading_deg: float) -> float:
        return self.bodies[name].turn(heading_deg, self.tick_s)

    def say(self, name: str, text: str) -> None:
        self._listener.said(name, text)

    def _way_on(self, body: StageBody, ground: Ground, goal: Point, reach_m: float) -> Way:
        """The way the body is on, if it still leads to the goal; else a new one."""
        if body.goal is not None and body.corners:
            strayed = distance_m(body.goal, goal)
            if strayed == 0.0:
                return Way(tuple(body.corners), length_m((body.place, *body.corners)))
            if strayed < STRAY_M and self._still_leads(body, ground, goal):
                corners = (*body.corners[:-1], goal)
                return Way(corners, length_m((body.place, *corners)))
        way = ground.way(body.place, goal, reach_m)
        body.goal, body.corners = (None, []) if way.cause else (goal, list(way.corners))
        return way

    def _still_leads(self, body: StageBody, ground: Ground, goal: Point) -> bool:
        """Whether the way round the last corner leads to a goal that has moved a little, and is still needed."""
        if len(body.corners) < 2 or not ground.holds(goal):
            return False
        return ground.is_clear(body.corners[-2], goal) and not ground.is_clear(body.place, goal)

    def _walk(self, member: Member) -> Walk:
        walk = Walk(member, self._grounds[member.body.radius_m])
        for index, reason in walk.faults:
            self._listener.noticed(member.name, f"point {index + 1} of the walk", reason)
        return walk

    def _check_starts(self, cast: Sequence[Member]) -> None:
        for member in cast:
            reason = why_off(self._grounds[member.body.radius_m], member.start)
            if reason:
                self._listener.noticed(member.name, "the start", reason)
