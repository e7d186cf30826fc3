"""The stage at work: bodies go their ways, puppets follow their walks or a
hand, props drain and are carried.
"""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.catalog.geometry import (
    GRID,
    FloatArray,
    distance_m,
    distances_m,
    heading_to,
    length_m,
    to_grid,
)
from umbrant.catalog.world import BodyView, Noise, PropView, Route, Sight
from umbrant.model.staging import Member, Prop, Scenario, Stage
from umbrant.model.values import Point
from umbrant.stage.bodies import StageBody, StageProp
from umbrant.stage.ground import Ground, Sightlines, Zones, ground_of
from umbrant.stage.walk import Walk

MANY = 24
"""How many a group must have for its distances to be worth an array."""
OFF_ROUTE_M = 1.0
"""How far a goal may move before the way to it is searched anew; until then
only its last stretch follows the goal.
"""
RINGS_S = 2.0
"""How long a noise rings."""


class Listener(Protocol):
    """Notified of what happens on a stage besides movement."""

    def said(self, name: str, text: str) -> None:
        """A body said something at this tick."""

    def noticed(self, name: str, what: str, cause: Cause) -> None:
        """Something of the scenario cannot be done as written; `what` names
        it.
        """


class StageWorld:
    """A stage with its cast. One tick is `begin`, then every agent's
    decisions, then `finish`.
    """

    def __init__(
        self, stage: Stage, scenario: Scenario, listener: Listener
    ) -> None:
        players = scenario.players
        self.tick_s = 1.0 / scenario.ticks_per_s
        self.now_s = 0.0
        self.cast = {member.name: StageBody.of(member) for member in players}
        self.all_props = {
            prop.name: StageProp.of(prop) for prop in stage.props
        }
        self._groups: dict[str, list[StageBody]] = {}
        for body in self.cast.values():
            self._groups.setdefault(body.group or "", []).append(body)
        self._prop_groups: dict[str, list[StageProp]] | None = None
        """Put together when it is asked for, and anew after a prop was
        dropped.
        """
        self._rows: dict[str, tuple[dict[str, int], FloatArray]] = {}
        """Where the members of large groups are, one below the other, and
        which row is whose. Kept for as long as nobody can be elsewhere: until
        the next tick, or until something is put, dropped or taken away.
        """
        self._listener = listener
        self._stage = stage
        self._places = {place.name: place.at for place in stage.places}
        self._sightlines = Sightlines(stage)
        self._zones = Zones(stage)
        self._walks = {
            member.name: self._walk(member)
            for member in players
            if member.behavior is None
            and (not member.steps or member.steps[0].tick > 0)
        }
        self._steps = {
            member.name: {step.tick: step.push for step in member.steps}
            for member in players
        }
        self._steered_from = {
            member.name: member.steps[0].tick
            for member in players
            if member.steps
        }
        """The tick from which a hand has each puppet, whose walk is given up
        then.
        """
        self._leaving: list[str] = []
        self._rate = scenario.ticks_per_s
        self._noises: list[Noise] = []
        self._coming: list[Noise] = []
        self._check_starts(players)

    def take_up(self, players: Sequence[Member]) -> bool:
        """Let puppets follow the walks of these, which are the same up to now.
        Returns False where one has a point that cannot be walked to: that is
        told before the first tick.
        """
        for member in players:
            before = self._walks.get(member.name)
            if before is None or before.points == member.walk:
                continue
            walk = Walk(member, self._ground(self.cast[member.name]))
            if walk.faults or before.faults:
                return False
            self._walks[member.name] = walk
        return True

    # a tick

    def begin(self, tick: int) -> None:
        """Move on to a tick: puppets are where their walk has them at its
        start.
        """
        self._rows.clear()
        self.now_s = tick / self._rate
        self._noises = [
            *(
                each
                for each in self._noises
                if each.when_s >= self.now_s - RINGS_S
            ),
            *self._coming,
        ]
        self._coming = []
        for name, walk in self._walks.items():
            body = self.cast[name]
            body.place, body.heading_deg = walk.at(self.now_s)
        # After that: the hand takes over from where the walk has led.
        for name, first in self._steered_from.items():
            if tick == first:
                self._walks.pop(name, None)
        for body in self.cast.values():
            body.speed_m_s = 0.0
            body.push = self._steps[body.name].get(tick, body.push)

    def finish(self) -> None:
        """Do what the bodies meant to do during this tick."""
        # All bodies move only now, so that whoever decides later in the tick
        # does not see those before it somewhere else.
        for body in self.cast.values():
            if not body.here:
                continue
            if body.push != (0.0, 0.0):
                self._pushed(body)
            elif body.speed_m_s > 0:
                body.advance(self.tick_s)
            else:
                # Nobody asked for it to move on in this tick, so its route is
                # over.
                body.corners, body.goal = [], None
            body.live(self.tick_s)
        for name in self._leaving:
            self.take_away(name)
        self._leaving.clear()
        for prop in self.all_props.values():
            prop.drain(self.tick_s)
            if prop.carrier is not None:
                prop.place = self.cast[prop.carrier].place

    # what there is

    def body(self, name: str) -> BodyView | None:
        body = self.cast.get(name)
        if body is not None and body.here:
            return body
        return None

    def bodies(self, group: str) -> Sequence[BodyView]:
        members = self._groups.get(group)
        if members:
            return [body for body in members if body.here]
        return ()

    def prop(self, name: str) -> PropView | None:
        prop = self.all_props.get(name)
        if prop is not None and prop.here:
            return prop
        return None

    def props(self, group: str) -> Sequence[PropView]:
        if self._prop_groups is None:
            self._prop_groups = {}
            for prop in self.all_props.values():
                self._prop_groups.setdefault(prop.group, []).append(prop)
        members = self._prop_groups.get(group)
        if members:
            return [prop for prop in members if prop.here]
        return ()

    def distances(self, name: str, group: str) -> Sequence[float] | FloatArray:
        here = self.cast[name].place
        members, things = self._groups.get(group, ()), self.props(group)
        if len(members) < MANY:
            places = [
                each.place
                for each in members
                if each.here and each.name != name
            ]
            if things:
                places += [each.place for each in things]
            return distances_m(here, places)
        # Many ask in one tick for distances among the same group, and nobody
        # moves until its end.
        found = self._rows.get(group)
        if found is None:
            present = [each for each in members if each.here]
            rows = {each.name: index for index, each in enumerate(present)}
            places = [
                *(each.place for each in present),
                *(each.place for each in things),
            ]
            found = self._rows[group] = rows, np.array(places).reshape(-1, 2)
        row_of, rows_of_all = found
        away = np.hypot(
            rows_of_all[:, 0] - here[0], rows_of_all[:, 1] - here[1]
        )
        distances: FloatArray = np.round(away * GRID) / GRID
        if name in row_of:
            return np.delete(distances, row_of[name])
        return distances

    def place(self, name: str) -> Point | None:
        return self._places.get(name)

    def zones_at(self, place: Point) -> Sequence[str]:
        return self._zones.at(place)

    def look(self, start: Point, end: Point) -> Sight:
        return Sight(self._sightlines.blocked_by(start, end))

    # what bodies do

    def move_towards(
        self, name: str, goal: Point, reach_m: float, speed_m_s: float
    ) -> Route:
        """Have a body go on towards a point. It goes no nearer than `reach_m`,
        measured along the way.
        """
        body = self.cast[name]
        way = self._way_on(body, self._ground(body), goal, reach_m)
        if way.cause:
            return way
        body.corners = list(way.corners)
        body.speed_m_s = min(
            speed_m_s, max(0.0, way.left_m - reach_m * 0.9) / self.tick_s
        )
        return way

    def route_to(self, name: str, goal: Point) -> Route:
        body = self.cast[name]
        return self._ground(body).way(body.place, goal)

    def walkable_near(self, name: str, place: Point) -> Point | None:
        ground = self._ground(self.cast[name])
        nearest = ground.nearest(place)
        if ground.holds(nearest):
            return nearest
        return None

    def turn(self, name: str, heading_deg: float) -> float:
        return self.cast[name].turn(heading_deg, self.tick_s)

    def say(self, name: str, text: str) -> None:
        self._listener.said(name, text)

    def noises(self) -> Sequence[Noise]:
        return self._noises

    def make_noise(self, noise: Noise) -> None:
        self._coming.append(noise)

    def carry(self, name: str, prop: str) -> bool:
        body, thing = self.cast[name], self.all_props.get(prop)
        if (
            thing is None
            or not thing.here
            or thing.carrier is not None
            or body.carries is not None
        ):
            return False
        thing.carrier, body.carries = name, prop
        return True

    def put_down(self, name: str, at: Point) -> str | None:
        body = self.cast[name]
        carried, body.carries = body.carries, None
        if carried is not None:
            self._rows.clear()
            thing = self.all_props[carried]
            thing.carrier, thing.place = None, (to_grid(at[0]), to_grid(at[1]))
        return carried

    # what cues and hands do

    def put(self, name: str, to: Point) -> bool:
        """Put one of the cast, or a prop, somewhere; one that was not on the
        stage is then. No if there is none.

        The walk of a puppet goes on from there.
        """
        thing = self.cast.get(name) or self.all_props.get(name)
        if thing is None:
            return False
        self._rows.clear()
        thing.place, thing.here = (to_grid(to[0]), to_grid(to[1])), True
        if isinstance(thing, StageBody):
            thing.corners, thing.goal = [], None
            walk = self._walks.get(name)
            if walk is not None:
                walk.go_on_from(thing.place, thing.heading_deg, self.now_s)
                self._tell_faults(name, walk)
        return True

    def drop(self, prop: Prop) -> None:
        """Put a new prop on the stage, or an old one of that name back to its
        beginnings.
        """
        self.all_props[prop.name] = StageProp.of(prop)
        self._prop_groups = None
        self._rows.clear()

    def leave(self, name: str) -> None:
        """Take a body off the stage once the tick is over: until then others
        may still see it.
        """
        self._leaving.append(name)

    def take_away(self, name: str) -> bool:
        """Take one of the cast, or a prop, off the stage. No if there is none
        of that name.
        """
        thing = self.cast.get(name) or self.all_props.get(name)
        if thing is None:
            return False
        self._rows.clear()
        thing.here = False
        if isinstance(thing, StageBody):
            self.put_down(name, thing.place)
        return True

    def steer(self, name: str, push: Point) -> None:
        """From this tick on a hand pushes a puppet, in metres per second; its
        walk is given up.
        """
        self._walks.pop(name, None)
        self.cast[name].push = push

    # ways

    def _ground(self, body: StageBody) -> Ground:
        return ground_of(self._stage, body.radius_m, body.flies)

    def _way_on(
        self, body: StageBody, ground: Ground, goal: Point, reach_m: float
    ) -> Route:
        """The way the body is on, if it still leads to the goal; else a new
        one.
        """
        if body.goal is not None and body.corners:
            strayed = distance_m(body.goal, goal)
            # Nothing has moved: the corners ahead are the way, and only the
            # first stretch has become shorter.
            if strayed == 0.0:
                return Route(
                    tuple(body.corners), length_m((body.place, *body.corners))
                )
            # A search at each tick of a chase would cost more than all else,
            # so the last stretch follows a goal that moves a little.
            if strayed < OFF_ROUTE_M and self._still_leads(body, ground, goal):
                corners = (*body.corners[:-1], goal)
                return Route(corners, length_m((body.place, *corners)))
        way = ground.way(body.place, goal, reach_m)
        body.goal, body.corners = (
            (None, []) if way.cause else (goal, list(way.corners))
        )
        return way

    def _still_leads(
        self, body: StageBody, ground: Ground, goal: Point
    ) -> bool:
        """Whether the way round the last corner leads to a goal that has moved
        a little, and is still needed.
        """
        if len(body.corners) < 2 or not ground.holds(goal):
            return False
        # Once the goal is in plain sight the way straight to it is shorter
        # than the one round the corner.
        return ground.is_clear(body.corners[-2], goal) and not ground.is_clear(
            body.place, goal
        )

    def _pushed(self, body: StageBody) -> None:
        """Go where a hand pushes; along a wall it slides."""
        ground, (x, y) = self._ground(body), body.place
        by_x, by_y = body.push[0] * self.tick_s, body.push[1] * self.tick_s
        # Straight on if that is free, else along the one axis or the other:
        # that is sliding along a wall.
        for to in ((x + by_x, y + by_y), (x + by_x, y), (x, y + by_y)):
            if to != body.place and ground.is_clear(body.place, to):
                body.heading_deg = to_grid(heading_to(body.place, to))
                body.place = to_grid(to[0]), to_grid(to[1])
                return

    def _walk(self, member: Member) -> Walk:
        walk = Walk(member, self._ground(self.cast[member.name]))
        self._tell_faults(member.name, walk)
        return walk

    def _tell_faults(self, name: str, walk: Walk) -> None:
        """Report the points of a walk that the puppet cannot reach."""
        for index, reason in walk.faults:
            self._listener.noticed(
                name, f"point {index + 1} of the walk", reason
            )

    def _check_starts(self, cast: Sequence[Member]) -> None:
        for member in cast:
            reason = self._ground(self.cast[member.name]).why_not_at(
                member.start
            )
            if reason:
                self._listener.noticed(member.name, "the start", reason)
