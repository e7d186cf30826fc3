"""What the window shows: a project and its history, a take, an agent, a row and a tick. Every view
reads it from here.

Everything here happens in the window's thread. Views call methods; the state tells them of changes
by signals.
"""

import shutil
from collections.abc import Callable, Mapping
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from umbrant.catalog.declare import Catalog
from umbrant.catalog.validation import ValidationMemory, validate
from umbrant.desk.session.history import History
from umbrant.desk.session.loader import Loaded, Loader
from umbrant.desk.session.numbered_take import NumberedTake, noticed_in
from umbrant.desk.session.reviewing import Reviewer
from umbrant.desk.session.roller import Roller
from umbrant.desk.session.tape_window import TapeWindow
from umbrant.desk.session.trust import NOTHING_TRUSTED, Nodes, Trust
from umbrant.desk.session.visits import place_for_takes
from umbrant.desk.widgets.row_index import RowIndex
from umbrant.model.behaviors import Behavior, Key, Override, Row
from umbrant.model.changes import Stamp, changed_files, stamp
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.expanded import ExpandedBehavior, expand_behavior
from umbrant.model.folder import NODES, read_nodes, save_project
from umbrant.model.outline import OutlineError
from umbrant.model.problems import Problem, ProjectError
from umbrant.model.staging import Member, Scenario
from umbrant.model.variants import override_of
from umbrant.reasons.decision_changes import LeadingSpan, lead_at
from umbrant.reasons.why import Explainer
from umbrant.review.findings import Finding
from umbrant.rolling.orders import Reply
from umbrant.rolling.roll import RollOrder
from umbrant.take.compare import TickRange
from umbrant.take.reader import Take

KEPT_TAKES = 12
"""How many takes of a visit are kept to go back to."""


class Desk(QObject):
    """The state of one window."""

    project_changed = Signal()
    take_changed = Signal()
    playhead_moved = Signal(int)
    row_selected = Signal(str)
    agent_changed = Signal()
    busy_changed = Signal(bool)
    findings_changed = Signal()
    about_to_save = Signal()
    point_wanted = Signal(object)
    """A function that is to be told the point that the author picks on the stage."""
    message = Signal(str)
    """A message for the author; an empty one takes the last away."""

    def __init__(
        self, project: Project, folder: Path | None, trust: Trust = NOTHING_TRUSTED
    ) -> None:
        super().__init__()
        self.folder = folder
        self.history = History(project, project)
        self._stamp: Stamp = stamp(folder) if folder is not None else {}
        self._nodes = Nodes(project, trust)
        self._validated: ValidationMemory = {}
        self.problems: list[Problem] = self._all_problems()
        self._problems_by_row = RowIndex[Problem]()
        self._findings_by_row = RowIndex[Finding]()
        self.scenario_name = project.cover.scenario
        self._played: Scenario | None = self.scenario
        self.takes: list[NumberedTake] = []
        self.current: NumberedTake | None = None
        self._is_closed = False
        self._before: Take | None = None
        """The take that was shown before the last edit, with which what comes of it is compared."""
        self.playhead = 0
        self.row_id = ""
        self._looked_at = ""
        """A behavior that is looked at though the agent does not run it."""
        self._expanded: tuple[Project, ExpandedBehavior] | None = None
        self.agent = self._first_agent()
        self._count = 0
        self._made = 0
        self._ordered: dict[Path, Project] = {}
        self._explainers: dict[str, Explainer] = {}
        self._place = place_for_takes()
        self.tape = TapeWindow(self)
        self.roller = Roller(self)
        self.loader = Loader(self)
        self.reviewer = Reviewer(self)
        self.findings: list[Finding] = []
        """What the review found in the documents."""
        self.reviewer.reviewed.connect(self._reviewed)
        self.reviewer.failed.connect(self.message)
        self.reviewer.request(project, self.catalog)
        self.roller.rolled.connect(self._rolled)
        self.roller.failed.connect(self.message)
        self.roller.busy_changed.connect(self.busy_changed)
        self.loader.loaded.connect(self._loaded)
        self.loader.failed.connect(self.message)
        self._select_first_row()

    # the project

    @property
    def catalog(self) -> Catalog:
        """All kinds of nodes, the project's own among them."""
        return self._nodes.own.catalog

    @property
    def needs_trust(self) -> bool:
        """Whether the project has nodes of its own that the author has not allowed to run."""
        return bool(self.project.nodes) and not self._nodes.trusted

    def trust_nodes(self) -> None:
        """Let the project's own nodes run from now on, as long as they stay as they are."""
        self._nodes.let_run(self.project)
        self._explainers = {}
        self._changed()

    @property
    def project(self) -> Project:
        """The project as it now is."""
        return self.history.project

    @property
    def scenario(self) -> Scenario | None:
        """The scenario that is played; None if the project has none."""
        return next(
            (each for each in self.project.scenarios if each.name == self.scenario_name), None
        )

    @property
    def member(self) -> Member | None:
        """The one of the cast that is looked at."""
        scenario = self.scenario
        return (
            next((each for each in scenario.players if each.name == self.agent), None)
            if scenario
            else None
        )

    @property
    def expanded(self) -> ExpandedBehavior | None:
        """The behavior of the agent that is looked at, with all that it uses; of a puppet, the
        first one there is.
        """
        member, behaviors = self.member, self.project.behaviors
        wanted = self._looked_at or (member.behavior if member else None)
        if not behaviors:
            return None
        name = wanted if any(each.name == wanted for each in behaviors) else behaviors[0].name
        if (
            self._expanded is None
            or self._expanded[0] is not self.project
            or self._expanded[1].root_scope.behavior != name
        ):
            self._expanded = self.project, expand_behavior(self.project, str(name))
        return self._expanded[1]

    @property
    def behavior(self) -> Behavior | None:
        """The rows of the whole behavior that is looked at."""
        expanded = self.expanded
        return expanded.behavior if expanded else None

    def keys_at(self, row_id: str) -> Mapping[str, Key]:
        """The keys that a row may use, by the names it uses."""
        expanded = self.expanded
        return expanded.key_scope(row_id).keys if expanded else {}

    def override_of(self, row_id: str) -> Override | None:
        """What the variant that a row belongs to does otherwise in it; None if nothing, or if it is
        no variant.
        """
        expanded = self.expanded
        name = expanded.key_scope(row_id).behavior if expanded else ""
        variant = next(
            (each for each in self.project.behaviors if each.name == name and each.variant_of), None
        )
        return override_of(variant, row_id.rpartition("/")[2]) if variant is not None else None

    @property
    def row(self) -> Row | None:
        """The selected row."""
        behavior = self.behavior
        return behavior.by_id.get(self.row_id) if behavior else None

    def apply(self, edit: Edit) -> bool:
        """Make an edit, and roll the scenario again. Says whether anything changed. Raises
        PathError.

        On a desk that has been closed nothing is changed: its views still live for a moment, and
        may want to.
        """
        if self._is_closed:
            return False
        try:
            if not self.history.do(edit):
                return False
        except OutlineError as error:
            self.message.emit(f"{edit.name} is not possible: {error}.")
            return False
        self._changed(goes_on=self.history.merged)
        return True

    def broken_by(self, edit: Edit) -> list[Problem]:
        """The problems that an edit would bring. Raises PathError."""
        known = set(self.problems)
        return [
            each for each in validate(edit.apply(self.project), self.catalog) if each not in known
        ]

    def pick_point(self, picked: Callable[[tuple[float, float]], None]) -> None:
        """Have the author pick a point on the stage."""
        self.message.emit(
            "Click where on the stage, or walk there with the arrow keys and press Enter. Esc "
            "leaves it."
        )
        self.point_wanted.emit(picked)

    def undo(self) -> None:
        """Take the last edit back."""
        name = self.history.undo()
        if name:
            self._changed()
            self.message.emit(f"Undone: {name}")

    def redo(self) -> None:
        """Do again what was taken back last."""
        name = self.history.redo()
        if name:
            self._changed()
            self.message.emit(f"Done again: {name}")

    def save(self, folder: Path | None = None) -> None:
        """Write the project to its folder, or to another one from now on. Raises ProjectError."""
        target = folder or self.folder
        if target is None:
            raise ValueError("a project without a folder is saved to a folder that is given")
        self.about_to_save.emit()
        save_project(self.project, target)
        self.folder = target
        self._stamp = stamp(target)
        self.history.saved = self.project
        self.history.settle()
        self.project_changed.emit()
        self.message.emit(f"Saved to {target}")

    def changed_outside(self) -> list[str]:
        """The files of the project that another program has changed since they were read or saved
        here.
        """
        return changed_files(self._stamp, stamp(self.folder)) if self.folder is not None else []

    def problems_of(self, row_id: str) -> list[Problem]:
        """The problems of a row of the behavior that is shown."""
        expanded = self.expanded
        file = f"behaviors/{expanded.key_scope(row_id).behavior}.json" if expanded else ""
        return self._problems_by_row.of(self.problems, file, row_id.rpartition("/")[2])

    @property
    def take_findings(self) -> list[Finding]:
        """What the review found in the take that is shown, of the agent that is looked at."""
        return self.current.loaded.findings.get(self.agent, []) if self.current else []

    def findings_of(self, row_id: str) -> list[Finding]:
        """What the review found in the documents about a row of the behavior that is looked at."""
        if not self.findings:
            return []
        expanded = self.expanded
        file = f"behaviors/{expanded.key_scope(row_id).behavior}.json" if expanded else ""
        return self._findings_by_row.of(self.findings, file, row_id.rpartition("/")[2])

    # takes

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        return self.current.loaded.take if self.current else None

    @property
    def take_number(self) -> int:
        """The number of the take that is shown, another for each, by which pictures of it are kept;
        0 without one.
        """
        return self.current.number if self.current else 0

    @property
    def explainer(self) -> Explainer | None:
        """Answers questions about the agent that is looked at in the take that is shown."""
        take = self.take
        if take is None or self.agent not in take.agents:
            return None
        if self.agent not in self._explainers:
            self._explainers[self.agent] = Explainer(take, self.agent, self.catalog)
        return self._explainers[self.agent]

    @property
    def different(self) -> dict[str, tuple[TickRange, ...]]:
        """For each row, where it did something else than in the take before the last edit."""
        return self.current.loaded.different.get(self.agent, {}) if self.current else {}

    @property
    def changes(self) -> tuple[LeadingSpan, ...]:
        """The changes of mind of the agent that is looked at."""
        return self.current.loaded.changes.get(self.agent, ()) if self.current else ()

    def leading(self, name: str) -> int | None:
        """Which of the rows between which it changes its mind leads one of the cast at the
        playhead, by its place.
        """
        if self.current is None:
            return None
        found = lead_at(self.current.loaded.leading_spans.get(name, ()), self.playhead)
        rows = self.current.loaded.leading.get(name, ())
        return rows.index(found.row_id) if found is not None else None

    @property
    def is_current(self) -> bool:
        """Whether the take was made from the project as it now is."""
        return self.current is not None and self.current.project == self.project

    def roll(self) -> None:
        """Play the scenario again with its seed."""
        self._before = self.take
        self._roll()

    def _roll(self) -> None:
        order = self._order()
        if order is not None:
            self._ordered = {order.path: self.project}
            self.roller.order(order)

    def rehearse(self, puppet: str) -> bool:
        """Start a rehearsal with a puppet. Returns whether it could be; if not, a message says
        why.
        """
        order = self._order()
        if order is not None:
            self.roller.rehearse(order, puppet)
        return order is not None

    def _order(self) -> RollOrder | None:
        """An order to play the scenario into a new file; None, and told why, where it cannot be
        played.

        Rows that cannot run are no hindrance: they are refused with their reason, and the rest is
        played.
        """
        if self._is_closed:
            return None
        self._look_for_nodes()
        scenario = self.scenario
        if scenario is None:
            self.message.emit("The project has no scenario to play.")
            return None
        in_the_way = (
            each
            for each in self.problems
            if not each.row_id and not each.file.startswith(f"{NODES}/")
        )
        first = next(in_the_way, None)
        if first is not None:
            self.message.emit(str(first))
            return None
        self._made += 1
        path = self._place / f"{self._made}.take"
        return RollOrder(self.project, scenario.name, path, trusted=self._nodes.trusted)

    def select_scenario(self, name: str) -> None:
        """Play another scenario of the project."""
        if name != self.scenario_name and any(each.name == name for each in self.project.scenarios):
            self.scenario_name = name
            self._played = self.scenario
            if self.member is None:
                self.agent = self._first_agent()
            self.project_changed.emit()
            self.agent_changed.emit()
            self.roll()

    def show_take(self, number: int) -> None:
        """Show one of the takes of this visit again."""
        found = next((each for each in self.takes if each.number == number), None)
        if found is not None:
            self._show(found)

    def open_take(self, path: Path) -> None:
        """Show a take from a file."""
        self.loader.request(path, None)

    def close(self) -> None:
        """End the worker and remove this visit's takes."""
        self._is_closed = True
        self.loader.close()
        self.reviewer.close()
        self.roller.close()
        shutil.rmtree(self._place, ignore_errors=True)

    # what is looked at

    def select_row(self, row_id: str) -> None:
        """Look at a row."""
        if row_id != self.row_id:
            self.row_id = row_id
            self.row_selected.emit(row_id)

    def select_agent(self, name: str) -> None:
        """Look at one of the cast."""
        if name == self.agent and not self._looked_at:
            return
        self.agent, self._looked_at = name, ""
        self.agent_changed.emit()
        if self.row is None:
            self._select_first_row()

    def look_at(self, behavior: str) -> None:
        """Look at a behavior: in one who runs it, if there is one."""
        member, scenario = self.member, self.scenario
        if member is not None and member.behavior == behavior:
            self.select_agent(member.name)
            return
        who = (
            next((each.name for each in scenario.players if each.behavior == behavior), None)
            if scenario
            else None
        )
        if who is not None:
            self.select_agent(who)
            return
        self._looked_at = behavior
        self.agent_changed.emit()
        if self.row is None:
            self._select_first_row()

    def move_playhead(self, tick: int) -> None:
        """Look at a tick; one outside the take becomes the nearest inside."""
        take = self.take
        tick = take.clamp(tick) if take else 0
        if tick != self.playhead:
            self.playhead = tick
            self.tape.show(tick)
            self.playhead_moved.emit(tick)

    def seconds(self, tick: int) -> float:
        """The time of a tick."""
        take = self.take
        return take.header.seconds(tick) if take else 0.0

    def next_change(self, step: int) -> None:
        """Move to the next (1) or the previous (-1) change of mind."""
        starts = [lead.start for lead in self.changes]
        later = [start for start in starts if start > self.playhead]
        earlier = [start for start in starts if start < self.playhead]
        if step > 0 and later:
            self.move_playhead(later[0])
        elif step < 0 and earlier:
            self.move_playhead(earlier[-1])

    # inside

    def _all_problems(self) -> list[Problem]:
        return [*validate(self.project, self.catalog, self._validated), *self._nodes.own.problems]

    def _look_for_nodes(self) -> None:
        """Read node files again that have changed: they are written in another editor."""
        if self.folder is None:
            return
        try:
            nodes = read_nodes(self.folder)
        except ProjectError as error:
            self.message.emit(str(error))
            return
        if self.history.take_up_nodes(nodes):
            self._nodes.take_up(self.project)
            self._explainers = {}
            self.problems = self._all_problems()
            self.project_changed.emit()
            if self.needs_trust:
                self.message.emit(
                    "The project's own nodes have changed. Project › Trust own nodes lets them "
                    "run again."
                )

    def _reviewed(self, found: list[Finding]) -> None:
        self.findings = found
        self.findings_changed.emit()

    def _follow_scenario(self) -> None:
        """Stay with the scenario that is played when it is called otherwise; when it is gone, take
        the first.
        """
        before, scenarios = self._played, self.project.scenarios
        if self.scenario is None and scenarios:
            same = (
                each
                for each in scenarios
                if before and each.model_copy(update={"name": before.name}) == before
            )
            first = next(
                (each for each in scenarios if each.name == self.project.cover.scenario),
                scenarios[0],
            )
            self.scenario_name = next(same, first).name
        self._played = self.scenario

    def _changed(self, *, goes_on: bool = False) -> None:
        """The project is another. `goes_on` says that this is a further step of one edit, as in a
        drag: what came of it is still compared with the take before the first.
        """
        if not goes_on:
            self._before = self.take
        self._follow_scenario()
        self.problems = self._all_problems()
        self.reviewer.request(self.project, self.catalog)
        if self.row is None:
            self._select_first_row()
        self.project_changed.emit()
        self._roll()

    def _rolled(self, reply: Reply) -> None:
        if reply.take is not None:
            self.loader.request(reply.take, self._before)

    def _loaded(self, loaded: Loaded) -> None:
        self._count += 1
        header = loaded.take.header
        cut = "" if loaded.take.is_complete else " · cut short"
        label = (
            f"Take {self._count} · seed {header.seed} · "
            f"{header.seconds(loaded.take.ticks):.1f} s{cut}"
        )
        project = self._ordered.get(loaded.take.path) or header.project
        entry = NumberedTake(self._count, loaded, label, project)
        for dropped in self.takes[: -KEPT_TAKES + 1]:
            self._forget(dropped)
        self.takes = [*self.takes[-KEPT_TAKES + 1 :], entry]
        self._show(entry)
        noticed = noticed_in(loaded.take)
        if not loaded.take.is_complete:
            ended = loaded.take.ended.rstrip(".")
            self.message.emit(f"This take is not whole: {ended}. It shows what was recorded.")
        elif noticed:
            self.message.emit(noticed)
        elif not self.is_current and not self.busy:
            self.message.emit(
                "This take was made from another state of the project. New take plays it as it "
                "now is."
            )

    @property
    def busy(self) -> bool:
        """Whether a take is being rolled."""
        return self.roller.busy

    def _show(self, entry: NumberedTake) -> None:
        self.current = entry
        self._explainers = {}
        take = entry.loaded.take
        self.tape.fit(take.ticks, take.header.ticks_per_s)
        self.playhead = take.clamp(self.playhead)
        self.take_changed.emit()

    def _forget(self, entry: NumberedTake) -> None:
        path = entry.loaded.take.path
        if path.parent == self._place:
            path.unlink(missing_ok=True)

    def _first_agent(self) -> str:
        scenario = self.scenario
        cast = scenario.players if scenario else ()
        thinking = [member.name for member in cast if member.behavior]
        return next(iter(thinking), cast[0].name if cast else "")

    def _select_first_row(self) -> None:
        behavior = self.behavior
        tops = behavior.outline.tops if behavior else ()
        self.select_row(tops[0] if tops else "")
