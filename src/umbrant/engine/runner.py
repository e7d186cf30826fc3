"""One agent that ticks, and all of them together."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import partial
from random import Random

from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Catalog
from umbrant.catalog.language.bound_condition import BoundCondition
from umbrant.catalog.protocols import Status
from umbrant.catalog.world import BodyView, World
from umbrant.catalog.written_facts import (
    RowFacts,
    behavior_facts,
    body_facts,
)
from umbrant.engine.behavior_change import BehaviorChange
from umbrant.engine.binding import BindingScope, always_unknown
from umbrant.engine.board import Board, SharedBoards
from umbrant.engine.budget import TickBudget
from umbrant.engine.builder import Builder
from umbrant.engine.events import EventBus, EventInbox, RaisedEvent
from umbrant.engine.project_calls import UNWATCHED, CallWatch
from umbrant.engine.recorder import Recorder
from umbrant.model.documents import Project
from umbrant.model.expanded import ExpandedBehavior, expand_behavior
from umbrant.model.staging import HeldResult, Member

HELD_STATUS = {
    HeldResult.SUCCESS: Status.SUCCESS,
    HeldResult.FAILURE: Status.FAILURE,
}
"""The status with which a row ends whose result is held; none for one that is
released.
"""


class CastContext:
    """What the agents of one world share: events on their way, shared keys,
    and who is in which row.
    """

    def __init__(
        self,
        project: Project,
        catalog: Catalog,
        seed: int,
        watch: CallWatch = UNWATCHED,
    ) -> None:
        self.project = project
        self.watch = watch
        self.catalog = catalog
        self.seed = seed
        self.event_bus = EventBus()
        self.shared = SharedBoards()
        self.runners: list[Runner] = []
        self._expanded: dict[str, ExpandedBehavior] = {}
        self._facts: list[tuple[ExpandedBehavior, RowFacts]] = []

    def expanded(self, behavior: str) -> ExpandedBehavior:
        """A behavior with all that it uses. Raises KeyError."""
        if behavior not in self._expanded:
            self._expanded[behavior] = expand_behavior(self.project, behavior)
        return self._expanded[behavior]

    def row_facts(self, expanded: ExpandedBehavior) -> RowFacts:
        """What of the causes of a behavior's rows stands in its document:
        read once for all who run it.
        """
        for known, facts in self._facts:
            if known is expanded:
                return facts
        facts = behavior_facts(expanded.behavior, self.catalog)
        self._facts.append((expanded, facts))
        return facts

    def take_up(self, project: Project) -> None:
        """Go on with another project."""
        self.project = project
        self._expanded.clear()
        self._facts.clear()

    def begin(self, now_s: float) -> None:
        """A tick begins: events that are due are given out."""
        self.event_bus.begin(now_s)

    def raise_event(self, event: str, to: str, due_s: float) -> None:
        """Raise an event on behalf of no agent."""
        self.event_bus.raise_event(RaisedEvent(event, "", to, due_s))


class Runner:
    """One agent: its body, its blackboard and its rows; the `me` of every node
    that it runs.

    The same project, world, name and seed give the same decisions. Raises
    ValueError for a member without a behavior.
    """

    def __init__(
        self,
        common: CastContext,
        member: Member,
        world: World,
        recorder: Recorder,
    ) -> None:
        if member.behavior is None:
            raise ValueError(
                f"'{member.name}' has no behavior to run; a puppet is moved by its walk"
            )
        expanded = common.expanded(member.behavior)
        self.name = member.name
        self.group = member.group
        self.world = world
        self.expanded = expanded
        self.began_s = world.now_s
        # A seeded generator is what a take needs.
        self.random = Random(f"{common.seed}/{member.name}")  # noqa: S311
        self.events = EventInbox(
            common.event_bus,
            member.name,
            member.group,
            lambda: world.now_s,
            self._note_raised,
        )
        self.board = Board(
            expanded.keys,
            recorder,
            world,
            shared=common.shared,
            group=member.group,
        )
        self._common = common
        self._bus = common.event_bus
        self._body: BodyView | None = None
        self._recorder = recorder
        self._of_body = body_facts(member.body)
        recorder.know(self._of_body, common.row_facts(expanded))
        self._conditions: dict[tuple[str, str], BoundCondition] = {}
        scope = partial(
            BindingScope,
            self,
            catalog=common.catalog,
            recorder=recorder,
            watch=common.watch,
            conditions=self._conditions,
        )
        self._derives = self._derive(expanded, scope)
        self.board.start(
            {
                **expanded.given,
                **{
                    name: value
                    for name, value in member.keys.items()
                    if name in expanded.keys
                },
            }
        )
        self._budget = TickBudget()
        builder = Builder(
            expanded, scope, self.board, recorder, common.catalog, self._budget
        )
        self._root = builder.root()
        self._builder = builder
        self._rows_by_name = builder.by_name
        self._rows_by_id = builder.by_id
        common.runners.append(self)

    @property
    def body(self) -> BodyView:
        """The agent's body. Raises LookupError if the world has none for it."""
        if self._body is None:
            self._body = self.world.body(self.name)
        if self._body is None:
            raise LookupError(
                f"the world has no body for '{self.name}'; put one of that name on the stage"
            )
        return self._body

    def tick(self) -> None:
        """Decide and act for one tick. A behavior that has ended begins again
        at the next tick.
        """
        # A cue may have put another body of this name on the stage since the
        # tick before.
        self._body = None
        self._budget.taken = 0
        if self._bus.given or self.events.now:
            self._receive()
        root = self._root
        if root is not None:
            visit = root.visit
            visit(self)
        # Derived keys are evaluated when something reads them; those that
        # nothing read are evaluated now, so that a take shows each at every
        # tick.
        if self._derives:
            self.board.settle()

    def _receive(self) -> None:
        for raised in self.events.begin():
            self._recorder.received(raised.event, raised.sender)

    def _note_raised(self, event: str, receiver: str) -> None:
        # The leaf that runs has put its row down as the writer of keys; it is
        # who raises this, too.
        self._recorder.raised(event, receiver, *self.board.writer)

    def stop(self, reason: Cause) -> None:
        """Stop the running rows; the next tick starts from the first row."""
        if self._root is not None:
            self._root.halt(self, reason)

    def hold(self, row_id: str, result: HeldResult) -> bool:
        """Hold the result of a row. Returns whether there is such a row, one
        that is entered and ends by itself.
        """
        row = self._rows_by_id.get(row_id)
        if row is None:
            return False
        if result is HeldResult.REFUSED:
            row.hold_back(self)
        else:
            row.hold(self, HELD_STATUS.get(result))
        return True

    def take_up(self, change: BehaviorChange) -> bool:
        """Go on with another behavior. Returns False where the agent cannot go
        on.
        """
        self.expanded = change.expanded
        self._recorder.know(
            self._of_body, self._common.row_facts(change.expanded)
        )
        if not self._builder.rebuild(change.expanded, change.rebuilt):
            return False
        for each in change.renumbered:
            condition = self._conditions.get((each.row_id, each.part))
            # A row that could not be made has no condition either.
            if condition is not None and not condition.renumber(
                each.tree, len(each.numbers)
            ):
                return False
        return True

    def is_in(self, row_name: str) -> bool:
        """Whether a row of this name is active."""
        return any(row.active for row in self._rows_by_name.get(row_name, ()))

    def time_in(self, row_name: str) -> float | None:
        """For how long a row of this name has been active: of several, the one
        that was entered first.
        """
        entered = [
            row.entered_s
            for row in self._rows_by_name.get(row_name, ())
            if row.active
        ]
        if entered:
            return self.world.now_s - min(entered)
        return None

    def others_in(self, row_name: str, group: str) -> int:
        """How many other agents of a group (of all where it is empty) are in a
        row of this name.
        """
        others = (
            each
            for each in self._common.runners
            if each is not self and group in ("", each.group)
        )
        return sum(each.is_in(row_name) for each in others)

    def _derive(
        self, expanded: ExpandedBehavior, scope: Callable[..., BindingScope]
    ) -> bool:
        """Have the keys that have a formula follow it, if there are any. One
        that makes no sense stays unknown.

        Formulas may ask for one another, so all such keys are known before the
        first formula is bound.
        """
        key_scopes = [
            expanded.root_scope,
            *{
                id(each): each for each in expanded.key_scopes.values()
            }.values(),
        ]
        derived = [
            (key_scope, key_scope.actual[name], key.formula)
            for key_scope in key_scopes
            for name, key in key_scope.keys.items()
            if key.formula and key_scope.actual[name] in expanded.keys
        ]
        for _, actual, _ in derived:
            self.board.derive(actual, lambda unknown: always_unknown)
        for key_scope, actual, formula in derived:
            self.board.derive(
                actual,
                partial(scope(key_scope).formula_or_unknown, formula),
            )
        return bool(derived)


@dataclass(frozen=True)
class Cast:
    """All agents of a world, in the order in which they decide."""

    common: CastContext
    runners: tuple[Runner, ...]

    @classmethod
    def of(
        cls,
        common: CastContext,
        members: Iterable[Member],
        world: World,
        recorder: Callable[[str], Recorder],
    ) -> "Cast":
        """A runner for each member with a behavior, in the order of the cast.
        `recorder` returns the recorder of an agent by name.
        """
        agents = [member for member in members if member.behavior is not None]
        return cls(
            common,
            tuple(
                Runner(common, member, world, recorder(member.name))
                for member in agents
            ),
        )
