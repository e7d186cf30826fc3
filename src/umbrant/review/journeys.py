"""Findings in a take about going places: who stands still, and whose goal is
out of date.
"""

from collections.abc import Iterator

import numpy as np

from umbrant.model.behaviors import Row
from umbrant.model.parts import part_index
from umbrant.model.values import KeyRef
from umbrant.review.agent_take import AgentTake
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.rules import take_rule
from umbrant.review.targets import DRAWING, NOTING
from umbrant.take.record import Changes, KeyWrite, Outcome, Span, WriteStep

STILL_S = 1.5
"""How long a row that goes somewhere may stand still."""
STILL_M = 0.02
STALE_M = 3.0
"""How far what a point was taken from may have moved by the time it is
reached.
"""
REDRAWN = 5
"""How many times a goal must be drawn anew, without being reached, to be worth
a word.
"""


@take_rule(
    "Going and not moving",
    why="A row that goes somewhere ran, and the body stayed where it was.",
    severity=Severity.WARNING,
)
def not_moving(run: AgentTake) -> Iterator[RuleMatch]:
    """A row that says how far it has to go, and went on for a while without
    the body moving.
    """
    behavior, poses = run.behavior, run.take.poses.get(run.agent)
    if behavior is None or poses is None:
        return
    ticks = round(STILL_S * run.take.header.ticks_per_s)
    stills = _stills(poses, ticks)
    for row in behavior.rows:
        record = run.record(row.id)
        if not record.ways.ticks:
            continue
        for span in record.spans:
            end = run.take.ticks - 1 if span.end is None else span.end
            still = _first_within(stills, span.start, end - ticks)
            if (
                still is not None
                and record.ways.at(still)
                and row.kind not in ("follow", "keep_ring")
            ):
                since = run.seconds(still)
                cause = ""
                if span.cause:
                    cause = f" It ended because {run.cause_words(span)}."
                yield RuleMatch(
                    f"It ran from {since:.2f} s on and the body did not move.{cause}",
                    row.id,
                )
                break


def _stills(poses: np.ndarray, ticks: int) -> np.ndarray:
    """The ticks from which a body stood for so many, in order."""
    # The way that was walked, not how far apart its ends are: out and back is
    # no standing still. Nor is it where it is off the stage.
    steps = np.hypot(*np.diff(poses[:, :2].astype(float), axis=0).T)
    walked = np.concatenate(
        ([0.0], np.cumsum(np.nan_to_num(steps, nan=2 * STILL_M)))
    )
    return np.flatnonzero(walked[ticks:] - walked[:-ticks] < STILL_M)


def _first_within(stills: np.ndarray, first: int, last: int) -> int | None:
    """The first of some ticks that lies within bounds, both included."""
    index = int(np.searchsorted(stills, first))
    if index < len(stills) and stills[index] <= last:
        return int(stills[index])
    return None


@take_rule(
    "A point that was out of date",
    why="Where it was taken from had moved on by the time the row was done with it. Note it again "
    "as upkeep, or go to the thing itself.",
    severity=Severity.HINT,
)
def outdated_point(run: AgentTake) -> Iterator[RuleMatch]:
    """A row that went to a point which another row had noted from a body that
    moved on since.
    """
    for row, key in _goers(run):
        noted = run.take.agents[run.agent].keys.get(key)
        ways = [
            way
            for span in run.record(row.id).spans
            if (way := _way(run, noted, span))
        ]
        # The way on which the body had moved furthest.
        moved, ticks, source, write = max(
            ways, default=(0.0, 0, "", None), key=lambda way: way[0]
        )
        if write is not None and moved >= STALE_M:
            yield RuleMatch(
                f"{key} was noted {run.seconds(ticks):.1f} s before by {run.called(write.row_id)}; "
                f"{source} had moved {moved:.1f} m since.",
                row.id,
                about=key,
            )


def _goers(run: AgentTake) -> Iterator[tuple[Row, str]]:
    """The rows that went to a key, and the key."""
    behavior = run.behavior
    for row in behavior.rows if behavior is not None else ():
        aim = row.args.get("target")
        if (
            row.kind == "move_to"
            and isinstance(aim, KeyRef)
            and run.record(row.id).spans
        ):
            yield row, aim.key


Way = tuple[float, int, str, KeyWrite | None]
"""How far a body had moved by the end of a way, how many ticks after it was
noted, its name, and the write that noted it.
"""


def _way(
    run: AgentTake, noted: Changes[KeyWrite] | None, span: Span
) -> Way | None:
    """What a row went by; None where its goal was not noted from a body, or
    noted again since.
    """
    if span.end is not None:
        end = span.end
    else:
        end = run.take.last_tick
    if noted is not None:
        index = noted.index(span.start)
    else:
        index = -1
    if noted is None or index < 0 or noted.index(end) != index:
        return None
    write, tick = noted.values[index], noted.ticks[index]
    source = _source(run, write, tick)
    moved = None
    if source is not None:
        moved = _moved_m(run, source, tick, end)
    if moved is not None and source:
        return (moved, end - tick, source, write)
    return None


def _source(run: AgentTake, write: KeyWrite, tick: int) -> str | None:
    """The body from which a row noted or drew a point; None for an upkeep, and
    for any other.
    """
    behavior = run.behavior
    row = None
    if behavior is not None:
        row = behavior.by_id.get(write.row_id)
    if row is None or write.part or row.kind not in (*NOTING, DRAWING):
        return None
    aim = row.args.get("target")
    if isinstance(aim, KeyRef):
        held = run.take.agents[run.agent].keys.get(aim.key)
        now = None
        if held is not None:
            now = held.at(tick)
        aim = None
        if now is not None:
            aim = now.value
    if isinstance(aim, str) and aim in run.take.poses:
        return aim
    return None


def _moved_m(
    run: AgentTake, name: str, since: int, until: int
) -> float | None:
    """How far a body is from where it was; None where it was not on the stage."""
    poses = run.take.poses[name]
    there = poses[[since, min(until, len(poses) - 1)], :2]
    moved = float(np.hypot(*(there[1] - there[0])))
    if np.isfinite(moved):
        return moved
    return None


@take_rule(
    "A goal that is drawn anew too soon",
    why="Each time it is drawn the way begins anew, so it is never reached. Draw it when the last "
    "one is reached, or less often.",
    severity=Severity.WARNING,
)
def hasty_goal(run: AgentTake) -> Iterator[RuleMatch]:
    """A row that goes to a point which is drawn again and again while it is
    under way, and that never got there.
    """
    behavior = run.behavior
    for row, key in _goers(run):
        spans = run.record(row.id).spans
        if behavior is None or any(
            each.outcome is Outcome.SUCCESS for each in spans
        ):
            continue
        drawn = [
            each
            for each in run.take.agents[run.agent].writes
            if each.key == key
            and _draws(run, each)
            and any(span.covers(each.tick) for span in spans)
        ]
        if len(drawn) >= REDRAWN:
            took = run.seconds(drawn[-1].tick - drawn[0].tick) / (
                len(drawn) - 1
            )
            yield RuleMatch(
                f"{key} was drawn anew {len(drawn)} times on the way, every {took:.2f} s, and "
                "never reached.",
                row.id,
                about=key,
            )


def _draws(run: AgentTake, write: WriteStep) -> bool:
    """Whether a write drew a point at random."""
    behavior = run.behavior
    row = None
    if behavior is not None:
        row = behavior.by_id.get(write.row_id)
    if row is None:
        return False
    if not write.part:
        return row.kind == DRAWING
    family, index = part_index(write.part)
    return family == "upkeep" and row.upkeep[index].kind == DRAWING
