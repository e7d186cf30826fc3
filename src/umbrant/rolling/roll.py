"""Playing a scenario into a take."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import Catalog
from umbrant.engine.runner import Runner
from umbrant.model.documents import Project, Scenario
from umbrant.model.folder import document_texts
from umbrant.stage.world import StageWorld
from umbrant.take.header import Header
from umbrant.take.writer import TakeWriter


@dataclass(frozen=True)
class Order:
    """What to play. `seed` and `seconds` stand in for the scenario's own."""

    project: Project
    scenario: str
    path: Path
    seed: int | None = None
    seconds: float | None = None


class RollStopped(Exception):  # noqa: N818  (it is an answer to being asked to stop, rather than an error)
    """A roll was asked to stop before its end. What was recorded is kept in the file."""


def never() -> bool:
    """Never asks a roll to stop."""
    return False


def roll(order: Order, *, should_stop: Callable[[], bool] = never, catalog: Catalog = BUILTIN) -> Path:
    """Play a scenario as fast as it goes, recording everything; returns the path of the take.

    Raises TakeError where it cannot be written and RollStopped when `should_stop`, asked at every tick, says so.
    """
    scenario = _played(order)
    header = Header(
        scenario=scenario.name,
        seed=scenario.seed,
        ticks=scenario.tick_count,
        ticks_per_s=scenario.ticks_per_s,
        documents=document_texts(order.project),
    )
    with TakeWriter(order.path, header) as writer:
        world = StageWorld(order.project.stage(scenario.stage), scenario, writer)
        runners = [
            Runner(order.project, member, world, writer.agent(member.name), seed=scenario.seed, catalog=catalog)
            for member in scenario.cast
            if member.behavior is not None
        ]
        for tick in range(scenario.tick_count):
            if should_stop():
                raise RollStopped(f"stopped at tick {tick} of {scenario.tick_count}")
            _play_tick(tick, world, runners, writer)
    return order.path


def _play_tick(tick: int, world: StageWorld, runners: list[Runner], writer: TakeWriter) -> None:
    writer.tick = tick
    world.begin(tick)
    for body in world.bodies.values():
        writer.pose(body.name, body.place, body.heading_deg)
    for prop in world.all_props:
        writer.level(prop.name, prop.level)
    for runner in runners:
        runner.tick()
    world.finish()
    writer.tick_done()


def _played(order: Order) -> Scenario:
    scenario = order.project.scenario(order.scenario)
    changed: dict[str, object] = {}
    if order.seed is not None:
        changed["seed"] = order.seed
    if order.seconds is not None:
        changed["seconds"] = order.seconds
    return scenario.model_copy(update=changed)
