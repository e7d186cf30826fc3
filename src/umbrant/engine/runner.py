"""From a behavior's rows to one agent that ticks."""

from random import Random
from typing import Any

from umbrant.catalog.causes import cause
from umbrant.catalog.declare import Catalog, Family, Kind
from umbrant.catalog.validation import RUNS
from umbrant.catalog.work import Gate, Work
from umbrant.catalog.world import BodyView, Question, World
from umbrant.engine.binding import Binder, Scope, Unbound
from umbrant.engine.board import Board
from umbrant.engine.recorder import Recorder
from umbrant.engine.rows import Broken, Chore, Leaf, LiveRow
from umbrant.model.documents import Behavior, Decorator, Member, Project, Row, Upkeep, Watch
from umbrant.model.edits import GUARD, ROW, part_name
from umbrant.model.values import ParamValue


class Runner:
    """One agent: its body, its blackboard, its rows. It is the `me` of every node it runs.

    Same project, world, name and seed give the same decisions.
    """

    def __init__(
        self, project: Project, member: Member, world: World, recorder: Recorder, *, seed: int, catalog: Catalog
    ) -> None:
        if member.behavior is None:
            raise ValueError(f"'{member.name}' has no behavior to run; a puppet is moved by its walk")
        behavior = project.behavior(member.behavior)
        keys = project.keys_of(behavior)
        self.name = member.name
        self.world = world
        self.random = Random(f"{seed}/{member.name}")  # noqa: S311  (a seeded generator is what a take needs)
        self.board = Board(keys, recorder, lambda: world.now_s)
        self.board.start({name: value for name, value in member.keys.items() if name in keys})
        scope = Scope(self, keys, catalog, recorder)
        self._root = Builder(behavior, scope, self.board, recorder).root()

    @property
    def body(self) -> BodyView:
        """The agent's body. Raises LookupError if the world has none for it."""
        body = self.world.body(self.name)
        if body is None:
            raise LookupError(f"the world has no body for '{self.name}'; put one of that name on the stage")
        return body

    def tick(self) -> None:
        """Decide and act for one tick. A behavior that has ended begins again at the next tick."""
        if self._root is not None:
            self._root.visit(self)


class Builder:
    """Makes the live rows of a behavior. What cannot run becomes a row that fails with its reason."""

    def __init__(self, behavior: Behavior, scope: Scope, board: Board, recorder: Recorder) -> None:
        self._behavior = behavior
        self._scope = scope
        self._board = board
        self._recorder = recorder
        self._catalog = scope.catalog

    def root(self) -> LiveRow | None:
        """The first top row with all that is nested in it; None if there is none or it is muted."""
        tops = self._live(self._behavior.outline.tops)
        return tops[0] if tops else None

    def _live(self, row_ids: tuple[str, ...]) -> list[LiveRow]:
        return [self._row(row) for row_id in row_ids if not (row := self._behavior.row(row_id)).muted]

    def _row(self, row: Row) -> LiveRow:
        children = self._live(self._behavior.outline.children[row.id])
        gates: list[Gate] = []
        guard: Question | None = None
        try:
            guard = self._scope.question(row.guard.when, row.id, GUARD) if row.guard else None
            work = self._decorated(row, self._work(row, children), gates)
        except Unbound as unbound:
            work, gates = Broken(unbound.reason), []
        return LiveRow(
            row.id,
            work,
            self._recorder,
            guard=guard,
            watch=row.guard.watch if row.guard else Watch.ON_ENTRY,
            gates=gates,
            chores=self._chores(row),
            children=children,
        )

    def _work(self, row: Row, children: list[LiveRow]) -> Work:
        kind = self._kind(row.kind, *RUNS)
        if kind.family is Family.COMPOSITE:
            composed: Work = kind.run(children, **self._values(kind, row.args, row.id, ROW))
            return composed
        return Leaf(kind, self._binders(kind, row.args, row.id, ROW), self._board, self._recorder, row.id)

    def _decorated(self, row: Row, work: Work, gates: list[Gate]) -> Work:
        """The work inside its decorators, the first written outermost; those that can refuse are added to `gates`."""
        for place, decorator in reversed(list(enumerate(row.decorators))):
            work = self._wrapped(row, decorator, part_name("decorator", place), work)
            if isinstance(work, Gate):
                gates.insert(0, work)
        return work

    def _wrapped(self, row: Row, decorator: Decorator, part: str, work: Work) -> Work:
        kind = self._kind(decorator.kind, Family.DECORATOR)
        wrapped: Work = kind.run(work, **self._values(kind, decorator.args, row.id, part))
        return wrapped

    def _chores(self, row: Row) -> list[Chore]:
        found = []
        for place, upkeep in enumerate(row.upkeep):
            part = part_name("upkeep", place)
            try:
                work = self._chore_work(row, upkeep, part)
            except Unbound as unbound:
                work = Broken(unbound.reason)
            found.append(Chore(work, upkeep.every_s, part))
        return found

    def _chore_work(self, row: Row, upkeep: Upkeep, part: str) -> Work:
        kind = self._kind(upkeep.kind, Family.ACTION, Family.CONDITION)
        if kind.takes_time:
            raise Unbound(cause("takes_time"))
        return Leaf(kind, self._binders(kind, upkeep.args, row.id, part), self._board, self._recorder, row.id, part)

    def _kind(self, name: str, *families: Family) -> Kind:
        kind = self._catalog.get(name, *families)
        if kind is None:
            raise Unbound(cause("unknown_kind", name=name))
        return kind

    def _binders(self, kind: Kind, args: dict[str, ParamValue], row_id: str, part: str) -> dict[str, Binder]:
        found = {}
        for param in kind.params:
            value = args.get(param.name)
            if value is not None:
                found[param.name] = self._scope.binder(param, value, row_id, part)
            elif param.required:
                raise Unbound(cause("unfilled", param=param.label))
        return found

    def _values(self, kind: Kind, args: dict[str, ParamValue], row_id: str, part: str) -> dict[str, Any]:
        return {name: binder() for name, binder in self._binders(kind, args, row_id, part).items()}
