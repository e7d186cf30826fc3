"""Plays random projects with findings and counts those that the takes refute:
`python -m tests.review.count_findings [SEEDS]`. It ends with 1 if one is
refuted.
"""

import sys
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property

from tests.kinds import CATALOG
from tests.review.random_projects import (
    ChartProject,
    DrawnProject,
    FlagProject,
    LockedProject,
    RandomProject,
    StageProject,
)
from tests.small import played
from umbrant.catalog.validation import validate
from umbrant.engine.machines import matches
from umbrant.engine.recorder import CUT_OFF
from umbrant.model.behaviors import Behavior
from umbrant.model.documents import Project
from umbrant.model.expanded import resolve_variant
from umbrant.model.parts import ROW
from umbrant.model.values import KeyRef
from umbrant.review import review
from umbrant.review.findings import Finding
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.value_ranges import Case, ValueRange, together
from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, Outcome, RowRecord, Span

KINDS = (
    *(LockedProject, RandomProject, RandomProject, FlagProject),
    *(ChartProject, DrawnProject, StageProject),
)
"""What is drawn, in turns."""


@dataclass(frozen=True)
class Played:
    """A finding, and the take of the project that has it."""

    project: Project
    take: Take
    finding: Finding

    @cached_property
    def behavior(self) -> Behavior:
        """The one that it is in, or the first where it is in none."""
        files = {
            f"behaviors/{each.name}.json": each.name
            for each in self.project.behaviors
        }
        name = files.get(self.finding.file, self.project.behaviors[0].name)
        return resolve_variant(self.project, name)

    @property
    def agent(self) -> AgentRecord:
        """Of the one who has that behavior."""
        cast = self.take.header.played.cast
        return self.take.agents[
            next(
                each.name
                for each in cast
                if each.behavior == self.behavior.name
            )
        ]

    @property
    def own(self) -> RowRecord:
        return self.record(self.finding.row_id)

    def record(self, row_id: str) -> RowRecord:
        return self.agent.row(row_id)

    def around(self, row_id: str, kind: str) -> str:
        path = reversed(self.behavior.outline.path(row_id))
        return next(
            each for each in path if self.behavior.row(each).kind == kind
        )

    def holds(self, row_id: str, tick: int) -> bool:
        """Whether the condition of a transition holds with the values at the
        end of a tick.
        """
        reading = next(
            each
            for each in ProjectAnalysis(self.project, CATALOG).readings
            if each.behavior.name == self.behavior.name
        )
        point: dict[str, ValueRange] = {}
        for name, changes in self.agent.keys.items():
            value = changes.at(tick)
            if value is not None and isinstance(value.value, float):
                point[name] = ValueRange(value.value, value.value)
        now = tick / self.take.header.ticks_per_s
        point["clock()"] = ValueRange(now, now)
        found = reading.cases(str(self.behavior.row(row_id).args.get("when")))
        known = all(
            each in point for case in found or () for each in case.ranges
        )
        plain = known and not any(case.answers for case in found or ())
        return plain and together(found or (), (Case(point),)) is not None

    def changed(self, tick: int) -> bool:
        """Whether a key changed within a tick."""
        return any(tick in each.ticks for each in self.agent.keys.values())


def never_entered(run: Played) -> bool:
    return not run.own.spans


def never_received(run: Played) -> bool:
    """The event does not come, and what waits for it, rather than asks for it,
    does not go on.
    """
    comes = any(
        matches(each.event, run.finding.about) for each in run.agent.received
    )
    return not comes and ("asks" in run.finding.message or never_entered(run))


def is_left_soon(run: Played) -> bool:
    """At most one tick after a row in it has set the key it is over."""
    setters = [
        row
        for row in run.behavior.rows
        if row.under == run.finding.row_id
        and row.args.get("key") == KeyRef(key=run.finding.about)
        and run.behavior.outline.number[row.id] in run.finding.message
    ]
    done = [
        span.end
        for row in setters
        for span in run.record(row.id).spans
        if span.end is not None and span.outcome is Outcome.SUCCESS
    ]
    return bool(setters) and not any(
        span.start <= tick
        and run.record(run.finding.row_id).span_at(tick + 2) is span
        for tick in done
        for span in run.own.spans
    )


def never_visited(run: Played) -> bool:
    return not run.own.spans and not run.own.refusals.get(ROW)


def never_succeeds(run: Played) -> bool:
    return not any(each.outcome is Outcome.SUCCESS for each in run.own.spans)


def guard_is_settled(run: Played) -> bool:
    refused = [
        each
        for each in run.own.refusals.get(ROW, [])
        if each.cause.kind == "guard"
    ]
    return (
        not refused
        if "always yes" in run.finding.message
        else not run.own.spans
    )


def condition_never_holds(run: Played) -> bool:
    is_check = run.behavior.row(run.finding.row_id).kind == "check"
    inverted = bool(run.behavior.row(run.finding.row_id).decorators)
    return never_succeeds(run) or inverted if is_check else never_entered(run)


def stays_until_the_end(run: Played) -> bool:
    """No state is entered after this one while its machine goes on."""
    machine = run.around(run.finding.row_id, "machine")
    return all(_stays(run, span, machine) for span in run.own.spans)


def _stays(run: Played, span: Span, machine: str) -> bool:
    ended = {each.end for each in run.record(machine).spans}
    return span.end is None or span.end in ended


def end_is_not_taken_up(run: Played) -> bool:
    """Once its rows have ended in the way that is named, the state stays."""
    machine = run.around(run.finding.row_id, "machine")
    wanted = (
        Outcome.FAILURE
        if "end with failure" in run.finding.message
        else Outcome.SUCCESS
    )
    inside = [
        each
        for each in run.behavior.outline.children[run.finding.row_id]
        if run.behavior.row(each).kind
        not in ("when", "after", "on_done", "on_event")
    ]
    for span in run.own.spans:
        within = [
            each
            for row_id in (
                inside if wanted is Outcome.FAILURE else inside[-1:]
            )
            for each in run.record(row_id).spans
            if _lies_in(each, span) and each.outcome is wanted
        ]
        if (
            within
            and "never end" not in run.finding.message
            and not _stays(run, span, machine)
        ):
            return False
    return True


def _lies_in(inner: Span, outer: Span) -> bool:
    """Whether a span began and ended within another one."""
    ended = inner.end is not None and (
        outer.end is None
        or (inner.end, inner.end_step) <= (outer.end, outer.end_step)
    )
    return ended and _begins_in(inner, outer)


def _begins_in(inner: Span, outer: Span) -> bool:
    """Whether a span began within another one, also where both begin or end in
    the same tick.
    """
    began = inner.start, inner.start_step
    until = (
        (outer.end, outer.end_step)
        if outer.end is not None
        else (inner.start + 1, 0)
    )
    return (outer.start, outer.start_step) < began < until


def stays_in_ring(run: Played) -> bool:
    """After a state of the ring none outside it is entered while the machine
    goes on.
    """
    machine = run.around(run.finding.row_id, "machine")
    numbers = run.behavior.outline.number
    siblings = run.behavior.outline.children[machine]
    ring = [
        each for each in siblings if f"{numbers[each]} " in run.finding.message
    ]
    others = [
        each
        for each in siblings
        if each not in ring and run.behavior.row(each).kind == "state"
    ]
    for around in run.record(machine).spans:
        inside = [
            (span.start, span.start_step, row_id in ring)
            for row_id in (*ring, *others)
            for span in run.record(row_id).spans
            if _begins_in(span, around)
        ]
        entered = [is_ring for _, _, is_ring in sorted(inside)]
        if True in entered and False in entered[entered.index(True) :]:
            return False
    return True


def leads_back_at_once(run: Played) -> bool:
    """Where the first fired and the second's condition held, that one fired
    too.
    """
    one, back = run.own, run.record(run.finding.about)
    machine = run.around(run.finding.row_id, "machine")
    for span in one.spans:
        cut = run.record(machine).refusals.get(CUT_OFF, [])
        is_cut = any(each.start <= span.start <= each.end for each in cut)
        ended = any(
            each.end == span.start for each in run.record(machine).spans
        )
        soon = any(
            span.start <= each.start <= span.start + 1 for each in back.spans
        )
        both = run.holds(run.finding.about, span.start) and not run.changed(
            span.start
        )
        if both and not soon and not is_cut and not ended:
            return False
    return True


def is_entered_again(run: Played) -> bool:
    """At a tick at which it is active and the condition holds, it is entered
    once more, or cut.
    """
    machine = run.around(run.finding.row_id, "machine")
    cut = run.record(machine).refusals.get(CUT_OFF, [])
    for tick in range(run.take.ticks):
        span = run.own.span_at(tick)
        active = (
            span is not None
            and span.start < tick
            and (span.end is None or span.end > tick)
        )
        is_cut = any(each.start <= tick <= each.end for each in cut)
        if (
            active
            and run.holds(run.finding.about, tick)
            and not run.changed(tick)
            and not is_cut
        ):
            return False
    return True


def waits_for_failure_before_it(run: Played) -> bool:
    """It was entered only after the wider one had failed, or when its guard
    could not be asked.
    """
    wide = run.record(run.finding.about)
    for span in run.own.spans:
        failed = [
            each
            for each in wide.spans
            if each.end is not None and each.end <= span.start
        ]
        if not failed:
            return False
    return True


REFUTERS: dict[str, Callable[[Played], bool]] = {
    "never_tried": never_visited,
    "settled_guard": guard_is_settled,
    "impossible_condition": condition_never_holds,
    "idle_chance": lambda run: (
        "never" not in run.finding.message or never_entered(run)
    ),
    "unreached_state": never_entered,
    "beaten_transition": never_entered,
    "losing_option": never_entered,
    "stuck_state": stays_until_the_end,
    "nothing_to_do": stays_until_the_end,
    "unhandled_end": end_is_not_taken_up,
    "closed_ring": stays_in_ring,
    "overlapping_thresholds": leads_back_at_once,
    "reentered_state": is_entered_again,
    "hidden_band": waits_for_failure_before_it,
    "early_guard": never_succeeds,
    "ends_own_guard": is_left_soon,
    "endless_repeat": never_succeeds,
    "never_raised": never_received,
    "never_written": lambda run: run.finding.about not in run.agent.keys,
    "locked_by_itself": never_entered,
}


def flagged(seeds: range) -> Iterator[Played]:
    """The findings in random projects that say something of play, each with a
    take.
    """
    for seed in seeds:
        drawn = KINDS[seed % len(KINDS)]
        made = drawn(seed).made
        assert validate(made, CATALOG) == []
        found = [
            each
            for each in review(made, CATALOG)
            if each.rule.id in REFUTERS and each.file != "behaviors/inner.json"
        ]
        if found:
            take = played(made)
            yield from (Played(made, take, each) for each in found)


class FindingCount:
    """How many findings of each rule were played, and those that a take
    refuted.
    """

    def __init__(self, seeds: range) -> None:
        self.flagged: Counter[str] = Counter()
        self.refuted: list[str] = []
        for each in flagged(seeds):
            self.flagged[each.finding.rule.id] += 1
            if not REFUTERS[each.finding.rule.id](each):
                self.refuted.append(str(each.finding))


def main() -> int:
    """Count, print, and say whether all held."""
    count = FindingCount(
        range(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
    )
    for text in count.refuted:
        print(f"refuted: {text}")
    for rule, number in sorted(count.flagged.items()):
        print(f"{number:8} {rule}")
    print(f"findings {count.flagged.total()} refuted {len(count.refuted)}")
    return 1 if count.refuted else 0


if __name__ == "__main__":
    sys.exit(main())
