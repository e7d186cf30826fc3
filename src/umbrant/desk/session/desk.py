"""What the window shows: the open project and its takes, and of them the
scenario, the agent, the row and the tick that are looked at. Every view reads
it from here.

Everything here happens in the window's thread. Views call methods; the state
tells them of changes by signals.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.catalog.kind import Catalog
from umbrant.desk.session.loader import Loaded
from umbrant.desk.session.nearest import NearestChanges
from umbrant.desk.session.open_project import OpenProject
from umbrant.desk.session.shown import Folds, TapeWindow
from umbrant.desk.session.takes import Takes
from umbrant.desk.session.trust import NOTHING_TRUSTED, Trust
from umbrant.expecting.expectation import (
    BrokenExpectation,
    NamedExpectation,
    broken_expectations,
)
from umbrant.model.behaviors import Behavior, Key, Override, Row
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.expanded import ExpandedBehavior, expand_behavior
from umbrant.model.problems import Problem
from umbrant.model.staging import Member, Scenario
from umbrant.model.variants import override_of
from umbrant.reasons.decision_changes import LeadingSpan, behavior_of, lead_at
from umbrant.reasons.why import Explainer
from umbrant.review.findings import Finding
from umbrant.rolling.roll import RollOrder
from umbrant.take.compare import TickRange
from umbrant.take.reader import Take


@dataclass(frozen=True)
class Hits:
    """Where something that was looked for holds in a take."""

    condition: str = ""
    stretches: tuple[tuple[int, int], ...] = ()
    take_number: int = 0
    agent: str = ""


class Desk(QObject):
    """The state of one window."""

    project_changed = Signal()
    take_changed = Signal()
    playhead_moved = Signal(int)
    step_changed = Signal()
    """Another moment within the tick is looked at."""
    row_selected = Signal(str)
    agent_changed = Signal()
    considered = Signal(object)
    """The kind or the recipe that the search would add now, None once it is
    closed.
    """
    hits_changed = Signal()
    """Something else was looked for in the take."""
    point_wanted = Signal(object)
    """A function to call with the point that the author picks on the stage."""
    message = Signal(str)
    """A message for the author; an empty one takes the last away."""

    def __init__(
        self,
        project: Project,
        folder: Path | None,
        trust: Trust = NOTHING_TRUSTED,
    ) -> None:
        super().__init__()
        self.documents = OpenProject(project, folder, trust, self)
        self.takes = Takes(self)
        self.tape = TapeWindow(self)
        self.nearest = NearestChanges(self)
        self.folds = Folds(self)
        self.scenario_name = project.cover.scenario
        self._played: Scenario | None = self.scenario
        self._is_closed = False
        self.playhead = 0
        self._wished = 0
        """Where the author put the playhead last. A shorter take holds it at
        its end, and the next one lets it go on.
        """
        self.step: int | None = None
        """The step within the tick after which keys are shown; None for the
        end of the tick.
        """
        self.row_id = ""
        self._looked_at = ""
        """A behavior that is looked at though the agent does not run it."""
        self._other_explainer: Explainer | None = None
        self._expanded: tuple[Project, ExpandedBehavior] | None = None
        self.agent = self._first_agent()
        self.documents.changed.connect(self._project_edited)
        self.documents.refreshed.connect(self.project_changed)
        self.documents.message.connect(self.message)
        self.takes.expectations = self.documents.read_expectations
        self.takes.wished = lambda: self._wished
        self.hits = Hits()
        """What was found in the take last."""
        self.documents.reviewer.lets_go_first = lambda: self.takes.is_awaited
        self.takes.shown.connect(self._take_shown)
        self.takes.arrived.connect(self._take_arrived)
        self.takes.progressed.connect(self._look_at_roll)
        self.takes.message.connect(self.message)
        self.takes.roller.failed.connect(self.documents.note_play)
        self.takes.roller.rolled.connect(lambda _: self.documents.note_play())
        self._select_first_row()

    def close(self) -> None:
        """End the worker process and the threads, and remove this visit's
        takes.
        """
        self._is_closed = True
        self.documents.close()
        self.nearest.close()
        self.takes.close()

    # the project

    @property
    def project(self) -> Project:
        """The project as it now is."""
        return self.documents.project

    @property
    def catalog(self) -> Catalog:
        """All kinds of nodes, the project's own among them."""
        return self.documents.catalog

    def apply(self, edit: Edit) -> bool:
        """Make an edit, and roll the scenario again. Returns whether anything
        changed. Raises PathError.
        """
        return self.documents.apply(edit)

    def problems_of(self, row_id: str) -> list[Problem]:
        """The problems of a row of the behavior that is shown."""
        return self.documents.problems_of(
            self._written_in(row_id), _own_id(row_id)
        )

    def findings_of(self, row_id: str) -> list[Finding]:
        """What the review found in the documents about a row of the behavior
        that is shown.
        """
        return self.documents.findings_of(
            self._written_in(row_id), _own_id(row_id)
        )

    def _project_edited(self, merged: bool) -> None:
        if not merged:
            self.takes.compare_next()
        self._follow_scenario()
        if self.row is None:
            self._select_first_row()
        # Ordered first: it is played while the views follow.
        self._roll()
        self.project_changed.emit()

    # the scenario and its cast

    @property
    def scenario(self) -> Scenario | None:
        """The scenario that is played; None if the project has none."""
        return self.project.find_scenario(self.scenario_name)

    @property
    def member(self) -> Member | None:
        """The one of the cast that is looked at."""
        scenario = self.scenario
        if scenario:
            return scenario.find_player(self.agent)
        return None

    def select_scenario(self, name: str) -> None:
        """Play another scenario of the project."""
        if (
            name == self.scenario_name
            or self.project.find_scenario(name) is None
        ):
            return
        self.scenario_name = name
        self._played = self.scenario
        if self.member is None:
            self.agent = self._first_agent()
        self.project_changed.emit()
        self.agent_changed.emit()
        self.roll()

    def _follow_scenario(self) -> None:
        """Stay with the scenario that is played when an edit renames it; when
        it is gone, take the project's first.
        """
        scenarios = self.project.scenarios
        if self.scenario is None and scenarios:
            fallback = (
                self.project.find_scenario(self.project.cover.scenario)
                or scenarios[0]
            )
            self.scenario_name = (self._renamed_scenario() or fallback).name
        self._played = self.scenario

    def _renamed_scenario(self) -> Scenario | None:
        """The scenario that equals the one played before the edit in all but
        its name.
        """
        before = self._played
        if before is None:
            return None
        for scenario in self.project.scenarios:
            if scenario.model_copy(update={"name": before.name}) == before:
                return scenario
        return None

    def _first_agent(self) -> str:
        scenario = self.scenario
        if scenario is None or not scenario.players:
            return ""
        thinking = [
            member.name for member in scenario.players if member.behavior
        ]
        if thinking:
            return thinking[0]
        return scenario.players[0].name

    # the behavior and its rows

    @property
    def expanded(self) -> ExpandedBehavior | None:
        """The behavior that is looked at, with all that it uses; of a puppet,
        the project's first one. None in a project without behaviors.
        """
        project, member = self.project, self.member
        if not project.behaviors:
            return None
        wanted = self._looked_at or (member.behavior if member else None)
        shown = project.find_behavior(wanted) or project.behaviors[0]
        kept = self._expanded
        # Views ask for this many times in each painting, and documents are
        # frozen: the same project expands to the same rows.
        if (
            kept is None
            or kept[0] is not project
            or kept[1].root_scope.behavior != shown.name
        ):
            kept = self._expanded = (
                project,
                expand_behavior(project, shown.name),
            )
        return kept[1]

    @property
    def behavior(self) -> Behavior | None:
        """The rows of the expanded behavior that is looked at."""
        expanded = self.expanded
        if expanded:
            return expanded.behavior
        return None

    @property
    def row(self) -> Row | None:
        """The selected row; None if the behavior that is shown has no such
        row.
        """
        behavior = self.behavior
        if behavior:
            return behavior.by_id.get(self.row_id)
        return None

    def keys_at(self, row_id: str) -> Mapping[str, Key]:
        """The keys that a row may use, by the names it uses."""
        expanded = self.expanded
        if expanded:
            return expanded.key_scope(row_id).keys
        return {}

    def override_of(self, row_id: str) -> Override | None:
        """What the variant that a row belongs to does otherwise in it; None if
        nothing, or if it is no variant.
        """
        behavior = self.project.find_behavior(self._written_in(row_id))
        if behavior is None or not behavior.variant_of:
            return None
        return override_of(behavior, _own_id(row_id))

    def _written_in(self, row_id: str) -> str:
        """The name of the behavior that a row of the expanded one is written
        in.
        """
        expanded = self.expanded
        if expanded:
            return expanded.key_scope(row_id).behavior
        return ""

    # rolling

    @property
    def is_current(self) -> bool:
        """Whether the take that is shown was made from the project as it now
        is.
        """
        current = self.takes.current
        return (
            current is not None
            and current.is_finished
            and current.project == self.project
        )

    def roll(self) -> None:
        """Play the scenario again with its seed."""
        self.takes.compare_next()
        self._roll()

    def rehearse(self, puppet: str) -> bool:
        """Start a rehearsal with a puppet. Returns whether it could be; if
        not, a message says why.
        """
        order = self._order()
        if order is not None:
            self.takes.roller.rehearse(order, puppet)
        return order is not None

    def _look_at_roll(self, ticks: int) -> None:
        """Show what has been played, once it is more than what is looked at.
        Before that the take that was shown says more.
        """
        if ticks > self._wished or self.take is None:
            self.takes.look_at_roll()

    def _roll(self) -> None:
        order = self._order()
        if order is not None:
            wished = None
            if self.take is not None:
                wished = self._wished
            self.takes.order(order, wished)

    def _order(self) -> RollOrder | None:
        """An order to play the scenario into a new file; None, and a message,
        where it cannot be played.
        """
        if self._is_closed:
            return None
        self.documents.read_nodes_again()
        scenario = self.scenario
        if scenario is None:
            self.message.emit("The project has no scenario to play.")
            return None
        obstacle = self.documents.obstacle()
        if obstacle is not None:
            self.message.emit(str(obstacle))
            return None
        return RollOrder(
            self.project,
            scenario.name,
            self.takes.next_file(),
            trusted=self.documents.may_run_nodes,
        )

    # the take that is shown

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        return self.takes.take

    @property
    def take_number(self) -> int:
        """A number for what is shown of takes, another for each take and each
        it is compared with, by which pictures of it are kept; 0 without a
        take.
        """
        return self.takes.times_shown

    @property
    def explainer(self) -> Explainer | None:
        """Answers questions about the agent that is looked at in the take that
        is shown.
        """
        return self.takes.explainer(self.agent, self.catalog)

    @property
    def other_explainer(self) -> Explainer | None:
        """Answers questions about the same agent in the take that is shown
        beside the other one; None where a take is shown alone, or the agent
        plays no part in the other.
        """
        other = self.other_take
        if other is None or self.agent not in other.agents:
            return None
        known = self._other_explainer
        if (
            known is None
            or known.take is not other
            or known.member.name != self.agent
        ):
            self._other_explainer = known = Explainer(
                other, self.agent, self.catalog
            )
        return known

    @property
    def take_findings(self) -> list[Finding]:
        """What the review found in the take that is shown, of the agent that
        is looked at.
        """
        current = self.takes.current
        if current:
            return current.loaded.findings.get(self.agent, [])
        return []

    @property
    def broken(self) -> tuple[BrokenExpectation, ...]:
        """What the take that is shown breaks of what must be so."""
        current = self.takes.current
        if current:
            return current.loaded.broken
        return ()

    def expect(self, named: NamedExpectation) -> None:
        """Hold the take that is shown against one more expectation."""
        current = self.takes.current
        if current is not None:
            found = broken_expectations([named], current.loaded.take)
            self.takes.set_broken((*current.loaded.broken, *found))

    def show_hits(
        self, condition: str, stretches: Sequence[tuple[int, int]]
    ) -> None:
        """Mark where something that was looked for holds in the take that is
        shown.
        """
        self.hits = Hits(
            condition, tuple(stretches), self.take_number, self.agent
        )
        self.hits_changed.emit()

    def next_hit(self, step: int) -> None:
        """Move to where what was found begins to hold next (1), or began
        before (-1).
        """
        starts = [start for start, _ in self.hits.stretches]
        ahead = [each for each in starts if (each - self.playhead) * step > 0]
        if ahead:
            if step > 0:
                nearest = min(ahead)
            else:
                nearest = max(ahead)
            self.move_playhead(nearest)
        else:
            self.message.emit(
                "Nothing more was found. Ctrl+Shift+F looks for something else."
            )

    @property
    def compared(self) -> Loaded | None:
        """The take that is shown with the one it is compared with, while both
        are shown; None where it is shown alone.
        """
        current = self.takes.current
        shows = (
            current is not None
            and self.takes.compares
            and current.loaded.comparison
        )
        if current is not None and shows:
            return current.loaded
        return None

    @property
    def other_take(self) -> Take | None:
        """The take that is shown beside the one that is looked at; None where
        it is alone.
        """
        compared = self.compared
        if compared is not None:
            return compared.before
        return None

    @property
    def branched_at(self) -> int | None:
        """Of a branch the tick at which it leaves its parent."""
        current = self.takes.current
        if current is not None and current.parent is not None:
            return current.branched_at
        return None

    @property
    def different(self) -> dict[str, tuple[TickRange, ...]]:
        """For each row, where it did something else than in the take before
        the last edit.
        """
        current = self.takes.current
        if current:
            return current.loaded.different.get(self.agent, {})
        return {}

    @property
    def changes(self) -> tuple[LeadingSpan, ...]:
        """The changes of mind of the agent that is looked at."""
        current = self.takes.current
        if current:
            return current.loaded.changes.get(self.agent, ())
        return ()

    def leading(self, name: str) -> int | None:
        """The index, among the rows between which one of the cast changes its
        mind, of the one that leads its first branch at the playhead; None if
        none does.
        """
        current = self.takes.current
        if current is None:
            return None
        found = current.loaded.leading_spans.get(name)
        lead = None
        if found:
            lead = lead_at(found[0], self.playhead)
        if lead is None:
            return None
        return current.loaded.leading[name].index(lead.row_id)

    def leading_row(self, name: str) -> str:
        """The name of the row that leads one of the cast at the playhead;
        empty if none does.
        """
        current, index = self.takes.current, self.leading(name)
        if current is None or index is None:
            return ""
        behavior = behavior_of(current.loaded.take, name)
        row = None
        if behavior:
            row = behavior.by_id.get(current.loaded.leading[name][index])
        if row is not None:
            return row.name
        return ""

    def _take_shown(self) -> None:
        take = self.take
        if take is not None:
            # The tape keeps its length while a take is rolled, for the whole
            # of it will come; a rehearsal is as long as it has become.
            if self.takes.busy:
                ticks = take.header.ticks
            else:
                ticks = take.ticks
            self.tape.fit(ticks, take.header.ticks_per_s)
            self.playhead, self.step = take.clamp(self._wished), None
        self.take_changed.emit()

    def _take_arrived(self) -> None:
        if not self.is_current and not self.takes.busy:
            self.message.emit(
                "This take was made from another state of the project. New take plays it as it "
                "now is."
            )

    # what is looked at

    def select_row(self, row_id: str) -> None:
        """Select a row, by its id in the expanded behavior."""
        if row_id != self.row_id:
            self.row_id = row_id
            self.row_selected.emit(row_id)

    def select_agent(self, name: str) -> None:
        """Look at one of the cast."""
        if name == self.agent and not self._looked_at:
            return
        self.agent, self._looked_at, self.step = name, "", None
        self.agent_changed.emit()
        if self.row is None:
            self._select_first_row()

    def look_at(self, behavior: str) -> None:
        """Look at a behavior: in one who runs it, if there is one."""
        runner = self._runner_of(behavior)
        if runner is not None:
            self.select_agent(runner.name)
            return
        self._looked_at = behavior
        self.agent_changed.emit()
        if self.row is None:
            self._select_first_row()

    def _runner_of(self, behavior: str) -> Member | None:
        """The one of the cast that is looked at if it runs a behavior, else
        the first that does.
        """
        member, scenario = self.member, self.scenario
        if member is not None and member.behavior == behavior:
            return member
        for player in scenario.players if scenario else ():
            if player.behavior == behavior:
                return player
        return None

    def pick_point(
        self, picked: Callable[[tuple[float, float]], None]
    ) -> None:
        """Have the author pick a point on the stage."""
        self.message.emit(
            "Click where on the stage, or walk there with the arrow keys and press Enter. Esc "
            "leaves it."
        )
        self.point_wanted.emit(picked)

    def move_playhead(self, tick: int) -> None:
        """Look at a tick; one outside the take becomes the nearest inside."""
        take = self.take
        self._wished = tick
        tick = take.clamp(tick) if take else 0
        if tick != self.playhead:
            self.playhead, self.step = tick, None
            self.tape.show(tick)
            self.playhead_moved.emit(tick)

    def look_at_step(self, step: int | None) -> None:
        """Look at the moment after a step of the tick at the playhead; 0 is
        before the first, None the end of the tick.
        """
        if step != self.step:
            self.step = step
            self.step_changed.emit()

    def seconds(self, tick: int) -> float:
        """The time of a tick."""
        take = self.take
        if take:
            return take.header.seconds(tick)
        return 0.0

    def next_change(self, step: int) -> None:
        """Move to the next (1) or the previous (-1) change of mind; where two
        takes are compared, to where the agent does otherwise.
        """
        starts = self._stops()
        later = [start for start in starts if start > self.playhead]
        earlier = [start for start in starts if start < self.playhead]
        if step > 0 and later:
            self.move_playhead(later[0])
        elif step < 0 and earlier:
            self.move_playhead(earlier[-1])

    def _stops(self) -> list[int]:
        """The ticks at which there is something to look at, in their order."""
        if self.compared is None or self.compared.comparison is None:
            return [lead.start for lead in self.changes]
        comparison = self.compared.comparison
        found = comparison.by_agent.get(self.agent)
        if found is None:
            if comparison.first:
                return [comparison.first.tick]
            return []
        return sorted(
            {found.first.tick, *(each.start for each in found.ranges)}
        )

    def _select_first_row(self) -> None:
        behavior = self.behavior
        tops = behavior.outline.tops if behavior else ()
        top = ""
        if tops:
            top = tops[0]
        self.select_row(top)


def _own_id(row_id: str) -> str:
    """The id of a row of the expanded behavior in the behavior that it is
    written in.
    """
    return row_id.rpartition("/")[2]
