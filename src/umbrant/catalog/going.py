"""Going places and looking about."""

from typing import Literal

from umbrant.catalog.causes import Cause
from umbrant.catalog.declare import AnAgent, Reach, SpreadSeconds, Steps, action
from umbrant.catalog.work import Progress
from umbrant.catalog.world import Me, Target

Pace = Literal["walk", "run"]


def _speed(me: Me, pace: str) -> float:
    return me.body.run_m_s if pace == "run" else me.body.walk_m_s


@action(
    "move to {target} within {reach}[ at a {pace}]",
    success="it is within reach, along the way it takes",
    failure="there is no target, no way to it, or it is not on walkable ground",
)
def move_to(me: Me, target: Target, *, reach: Reach = 0.5, pace: Pace = "walk") -> Steps:
    """Goes to a place by the shortest way round walls and water. A target that moves is followed.

    target: where to go: a key that holds a point, an agent or a prop, a named place, or a point
    reach: how near counts as there, measured along the way
    pace: at what pace
    """
    whole: float | None = None
    while True:
        goal = target.at()
        if isinstance(goal, Cause):
            return goal
        way = me.world.head_for(me.body.name, goal, reach, _speed(me, pace))
        if way.cause:
            return way.cause
        if way.left_m <= reach:
            return True
        whole = max(whole or 0.0, way.left_m)
        yield Progress(way.left_m, whole, "m", way.corners)


@action(
    "follow {target} at {distance} for {duration}[ at a {pace}]",
    success="the time is up",
    failure="there is no target, or no way to it",
)
def follow(
    me: Me, target: AnAgent, *, distance: Reach = 1.5, duration: SpreadSeconds = 5.0, pace: Pace = "walk"
) -> Steps:
    """Stays near an agent as it moves, and stands when it is near enough.

    target: whom to follow
    distance: how near to stay
    duration: for how long
    pace: at what pace
    """
    until_s = me.world.now_s + duration
    while me.world.now_s < until_s - 1e-9:
        goal = target.at()
        if isinstance(goal, Cause):
            return goal
        way = me.world.head_for(me.body.name, goal, distance, _speed(me, pace))
        if way.cause:
            return way.cause
        yield Progress(until_s - me.world.now_s, duration, "s", way.corners)
    return True


@action("turn at random for {duration}", success="the time is up")
def look_about(me: Me, *, duration: SpreadSeconds = 3.0) -> Steps:
    """Looks this way and that from where it stands.

    duration: for how long
    """
    until_s = me.world.now_s + duration
    wanted = me.random.uniform(0.0, 360.0)
    while me.world.now_s < until_s - 1e-9:
        if me.world.turn(me.body.name, wanted) < 1.0:
            wanted = me.random.uniform(0.0, 360.0)
        yield Progress(until_s - me.world.now_s, duration, "s")
    return True
