"""From a behavior's rows to live rows. What cannot run becomes a row that
fails with its reason.
"""

from collections.abc import Sequence, Set
from typing import Any, Protocol

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.kind import ROWS, RUNS, Catalog, Family, Kind
from umbrant.catalog.language.tree import parse
from umbrant.catalog.protocols import (
    Gate,
    GeneratedCondition,
    InstantWork,
    Renewable,
    Status,
    Unbound,
    Weighted,
    Work,
)
from umbrant.engine.binding import Binder, BindingScope
from umbrant.engine.board import Board, LiveKey
from umbrant.engine.budget import TickBudget
from umbrant.engine.chart import (
    Chart,
    State,
    StateType,
    Transition,
    TransitionTrigger,
)
from umbrant.engine.leaf import BrokenLeaf, IdleLeaf, LastingLeaf, Leaf
from umbrant.engine.machines import LiveMachine, LiveState, LiveTransition
from umbrant.engine.path import PathCache
from umbrant.engine.project_leaf import LastingProjectLeaf, ProjectLeaf
from umbrant.engine.recorder import Recorder
from umbrant.engine.rows import (
    DecoratorParts,
    LiveRow,
    RepeatedWork,
    RowSequence,
    UpkeepTask,
)
from umbrant.engine.utility import (
    DECISION,
    Candidates,
    Consideration,
    LiveOption,
    LiveUtility,
)
from umbrant.model.behaviors import Decorator, Row, Upkeep, Watch
from umbrant.model.expanded import ExpandedBehavior, KeyScope
from umbrant.model.kind_ids import MACHINE, ON_ENTER, ON_LEAVE, UTILITY
from umbrant.model.parts import GUARD, ROW, candidate_part, part_name
from umbrant.model.values import KeyRef, ParamValue

STATE_TYPES = {
    "state": StateType.STATE,
    "regions": StateType.REGIONS,
    "final": StateType.FINAL,
    "history": StateType.HISTORY,
}
WAITS = {
    "on_event": TransitionTrigger.EVENT,
    "on_done": TransitionTrigger.EVENT,
}
DONE_WAYS = {
    "either way": (Status.SUCCESS, Status.FAILURE),
    "success": (Status.SUCCESS,),
    "failure": (Status.FAILURE,),
}


class ScopeOf(Protocol):
    """Makes the binding scope for a key scope of the agent."""

    def __call__(self, key_scope: KeyScope) -> BindingScope: ...


class Builder:
    """Makes the live rows of a behavior. `by_name` holds them by their names."""

    def __init__(
        self,
        expanded: ExpandedBehavior,
        scope: ScopeOf,
        board: Board,
        recorder: Recorder,
        catalog: Catalog,
        budget: TickBudget,
    ) -> None:
        self.by_name: dict[str, list[LiveRow]] = {}
        self.by_id: dict[str, LiveRow] = {}
        """Rows that are entered and end by themselves; no states, hooks or
        transitions.
        """
        self._refuses_for_good = False
        """Whether a row has been found that is refused for as long as it is
        there.
        """
        self._expanded = expanded
        self._behavior = expanded.behavior
        self._scope_of = scope
        self._board = board
        self._recorder = recorder
        self._catalog = catalog
        self._budget = budget
        self._path_cache = PathCache()

    def root(self) -> LiveRow | None:
        """The first top row with all that is nested in it; None if there is
        none or it is muted.
        """
        tops = self._live(self._behavior.outline.tops)
        if tops:
            return tops[0]
        return None

    def rebuild(
        self, expanded: ExpandedBehavior, roots: Sequence[str]
    ) -> bool:
        """Go on with the rows of another behavior, which differs in these rows
        and what is nested in them alone. Each of them is made anew, in its
        place. Nothing of them may have been visited, before or after. Returns
        False where that is not enough; the agent cannot go on then.
        """
        before = self._behavior
        self._expanded, self._behavior = expanded, expanded.behavior
        for row_id in roots:
            live = self.by_id.get(row_id)
            if live is None:
                return False
            self._forget(frozenset(before.outline.within(row_id)))
            self._refuses_for_good = False
            made = self._row(self._behavior.row(row_id))
            if self._refuses_for_good:
                # Told while it was made, which is at another tick than the
                # first.
                return False
            live.become(made)
            self.by_id[row_id] = live
            known = self.by_name[self._behavior.row(row_id).name]
            known[known.index(made)] = live
        # No path leads through what has not been visited, nor checks it: a
        # composite watches those of its children that it has passed over. So
        # the paths stay.
        return True

    def _forget(self, row_ids: Set[str]) -> None:
        for rows in self.by_name.values():
            rows[:] = [each for each in rows if each.id not in row_ids]
        for row_id in row_ids:
            self.by_id.pop(row_id, None)

    # rows

    def _children(self, row: Row, *families: Family) -> list[Row]:
        """The rows nested in a row that are of these families and not muted.
        Unknown kinds count as actions.
        """
        found = []
        for row_id in self._behavior.outline.children[row.id]:
            child = self._behavior.row(row_id)
            kind = self._catalog.get(child.kind, *ROWS)
            if (
                not child.muted
                and (kind.family if kind else Family.ACTION) in families
            ):
                found.append(child)
        return found

    def _live(self, row_ids: Sequence[str]) -> list[LiveRow]:
        return [
            self._row(row)
            for row_id in row_ids
            if not (row := self._behavior.row(row_id)).muted
        ]

    def _row(self, row: Row) -> LiveRow:
        children: list[LiveRow] = []
        gates: list[Work] = []
        guard: GeneratedCondition | None = None
        try:
            guard = None
            if row.guard:
                guard = self._scope(row).question(
                    row.guard.when, row.id, GUARD
                )
            if row.kind == MACHINE:
                own = self._machine(row)
            elif row.kind == UTILITY:
                own = utility = self._utility(row)
                children = [option.row for option in utility.options]
            else:
                children = [
                    self._row(child) for child in self._children(row, *RUNS)
                ]
                own = self._work(row, children)
            work = self._decorated(row, own, children, gates)
        except Unbound as unbound:
            work, gates = BrokenLeaf(unbound.reason), []
        live = self.by_id[row.id] = self._finished(
            row, work, children, guard, gates
        )
        return live

    def _finished(
        self,
        row: Row,
        work: Work,
        children: Sequence[LiveRow],
        guard: GeneratedCondition | None = None,
        wrapped: Sequence[Work] = (),
    ) -> LiveRow:
        if row.guard:
            watch = row.guard.watch
        else:
            watch = Watch.ON_ENTRY
        live = LiveRow(
            row.id,
            work,
            self._recorder,
            self._path_cache,
            guard=guard,
            watch=watch,
            wrapping=DecoratorParts(
                gates=[each for each in wrapped if isinstance(each, Gate)],
                renewed=[
                    each for each in wrapped if isinstance(each, Renewable)
                ],
                weighted=_first_weighted(wrapped),
            ),
            upkeep_tasks=self._upkeep_tasks(row),
            children=children,
        )
        self.by_name.setdefault(row.name, []).append(live)
        return live

    def _work(self, row: Row, children: list[LiveRow]) -> Work:
        kind = self._kind(row.kind, *RUNS)
        if kind.family is Family.COMPOSITE:
            composed: Work = kind.run(
                children, **self._values(kind, row, row.args, ROW)
            )
            return composed
        return self._leaf(kind, row, row.args, ROW)

    def _leaf(
        self, kind: Kind, row: Row, args: dict[str, ParamValue], part: str
    ) -> Leaf:
        scope = self._scope(row)
        binders = self._binders(kind, row, args, part)
        if kind.own:
            called = f"{self._behavior.outline.number[row.id]} '{row.name}'"
            own = LastingProjectLeaf if kind.takes_time else ProjectLeaf
            return own(kind, binders, scope, row.id, part, called)
        made = LastingLeaf if kind.takes_time else Leaf
        return made(kind, binders, scope, row.id, part)

    def _decorated(
        self,
        row: Row,
        work: Work,
        children: Sequence[LiveRow],
        wrapped: list[Work],
    ) -> Work:
        """The work inside its decorators, the first written outermost; they
        are added to `wrapped` in that order.
        """
        kinds = [
            self._kind(each.kind, Family.DECORATOR) for each in row.decorators
        ]
        if any(kind.run.begins_anew for kind in kinds):  # type: ignore[attr-defined]
            work = RepeatedWork(work, children, row.id, self._path_cache)
        for index, decorator in reversed(list(enumerate(row.decorators))):
            work = self._wrapped(
                row, decorator, part_name("decorator", index), work
            )
            wrapped.insert(0, work)
        return work

    def _wrapped(
        self, row: Row, decorator: Decorator, part: str, work: Work
    ) -> Work:
        kind = self._kind(decorator.kind, Family.DECORATOR)
        values = self._values(kind, row, decorator.args, part)
        if kind.reports_gauges:
            values["report"] = self._recorder.gauging(row.id, part)
        wrapped: Work = kind.run(work, **values)
        return wrapped

    def _upkeep_tasks(self, row: Row) -> list[UpkeepTask]:
        found = []
        for index, upkeep in enumerate(row.upkeep):
            part = part_name("upkeep", index)
            try:
                work: InstantWork = self._upkeep_work(row, upkeep, part)
            except Unbound as unbound:
                work = BrokenLeaf(unbound.reason)
            found.append(
                UpkeepTask(work, upkeep, row.id, part, self._recorder)
            )
        return found

    def _upkeep_work(self, row: Row, upkeep: Upkeep, part: str) -> InstantWork:
        kind = self._kind(upkeep.kind, Family.ACTION, Family.CONDITION)
        if kind.takes_time:
            raise Unbound(cause("takes_time"))
        return self._leaf(kind, row, upkeep.args, part)

    def _at_once(self, row: Row) -> LiveRow:
        """A row whose rows are done at once, one after the other."""
        children = [self._row(child) for child in self._children(row, *RUNS)]
        return self._finished(
            row,
            self._kind("sequence", Family.COMPOSITE).run(children),
            children,
        )

    # machines

    def _machine(self, row: Row) -> Work:
        root = State(row.id)
        states: dict[str, LiveState] = {}
        self._fill(row, root, states)
        if not root.proper:
            raise Unbound(cause("no_states"))
        by_id = {state.id: state for state in _states(root)}
        transitions: dict[str, LiveTransition] = {}
        for state in by_id.values():
            self._set_up(state, by_id, transitions)
        return LiveMachine(
            Chart(root),
            states,
            transitions,
            self._recorder,
            self._board,
            self._budget,
        )

    def _fill(
        self, row: Row, state: State, states: dict[str, LiveState]
    ) -> None:
        """The states in a machine or in a state, with what belongs to each."""
        for child in self._children(row, Family.STATE):
            inner = state.add(State(child.id, STATE_TYPES[child.kind]))
            if inner.type is not StateType.HISTORY:
                self._fill(child, inner, states)
                states[child.id] = self._state(child)

    def _state(self, row: Row) -> LiveState:
        children = [self._row(child) for child in self._children(row, *RUNS)]
        hooks = self._children(row, Family.HOOK)
        work = RowSequence(children)
        setup = self._setup(row)
        if getattr(setup, "result", "") == "failure":
            result = Status.FAILURE
        else:
            result = Status.SUCCESS
        return LiveState(
            self._finished(row, work, children),
            work,
            on_enter=[
                self._at_once(hook) for hook in hooks if hook.kind == ON_ENTER
            ],
            on_leave=[
                self._at_once(hook) for hook in hooks if hook.kind == ON_LEAVE
            ],
            result=result,
            must_finish=getattr(setup, "leaving", "") == "when it is done",
        )

    def _set_up(
        self,
        state: State,
        by_id: dict[str, State],
        transitions: dict[str, LiveTransition],
    ) -> None:
        """Where a state begins, and the transitions that start from it."""
        row = self._behavior.row(state.id)
        setup = self._setup(row)
        state.initial = by_id.get(
            getattr(setup, "initial", "") or getattr(setup, "otherwise", "")
        )
        state.deep = getattr(setup, "depth", "") == "deep"
        for child in self._children(row, Family.TRANSITION):
            try:
                given = self._setup(child)
            except Unbound as unbound:
                self._refuse_for_good(child, unbound.reason)
                continue
            named = [each for each in (given.to, given.also) if each]
            unknown = next((each for each in named if each not in by_id), None)
            if unknown is not None:
                self._refuse_for_good(child, cause("no_state", name=unknown))
                continue
            internal = getattr(given, "kind", "external") == "internal"
            waits = WAITS.get(child.kind, TransitionTrigger.NOTHING)
            targets = tuple(by_id[each] for each in named)
            state.transitions.append(
                Transition(child.id, state, targets, internal, waits)
            )
            transitions[child.id] = self._transition(child, given)

    def _refuse_for_good(self, row: Row, reason: Cause) -> None:
        self._refuses_for_good = True
        self._recorder.refusing(row.id, ROW)(reason)

    def _transition(self, row: Row, given: Any) -> LiveTransition:
        return LiveTransition(
            fires=self._recorder.running(row.id),
            refused=self._recorder.refusing(row.id, ROW),
            when=given.when,
            event=getattr(given, "event", None),
            after=getattr(given, "time", None),
            done=DONE_WAYS.get(getattr(given, "result", ""), ()),
            rows=[self._row(child) for child in self._children(row, *RUNS)],
        )

    # utilities

    def _utility(self, row: Row) -> LiveUtility:
        options = [
            self._option(child) for child in self._children(row, Family.OPTION)
        ]
        if not options:
            raise Unbound(cause("no_options"))
        decided = self._recorder.counting(row.id, DECISION)
        return LiveUtility(self._setup(row), options, self._board, decided)

    def _option(self, row: Row) -> LiveOption:
        children = [self._row(child) for child in self._children(row, *RUNS)]
        wrapped: list[Work] = []
        setup, target = self._setup(row), self._setup(row).target
        guard = None
        if row.guard:
            guard = self._scope(row).question(row.guard.when, row.id, GUARD)
        if children:
            inner = self._kind("sequence", Family.COMPOSITE).run(children)
        else:
            inner = IdleLeaf()
        work = self._decorated(row, inner, children, wrapped)
        return LiveOption(
            self._finished(row, work, children, guard, wrapped),
            [
                self._consideration(child)
                for child in self._children(row, Family.CONSIDERATION)
            ],
            setup.combine,
            setup.weight,
            self._recorder.gauging(row.id, ROW),
            self._candidates(row, setup.among, target),
        )

    def _candidates(
        self, row: Row, group: str, target: object
    ) -> Candidates | None:
        """For whom an option is scored; None for one that is about nobody."""
        if not group or not isinstance(target, LiveKey):
            return None
        gauging = self._recorder.gauging
        return Candidates(
            group, target, lambda name: gauging(row.id, candidate_part(name))
        )

    def _consideration(self, row: Row) -> Consideration:
        setup = self._setup(row)
        tree = parse(str(row.args["input"]))
        report = self._recorder.gauging(row.id, ROW)
        return Consideration(
            setup.input,
            tree,
            setup.low,
            setup.high,
            setup.curve,
            setup.weight,
            report,
            self._recorder.refusing(row.id, ROW),
        )

    # what an author filled in

    def _scope(self, row: Row) -> BindingScope:
        return self._scope_of(self._expanded.key_scope(row.id))

    def _kind(self, name: str, *families: Family) -> Kind:
        kind = self._catalog.get(name, *families)
        if kind is None:
            raise Unbound(cause("unknown_kind", name=name))
        return kind

    def _setup(self, row: Row) -> Any:
        """How the author set up a part of a machine or a utility. Raises
        Unbound.
        """
        kind = self._kind(row.kind, *ROWS)
        return kind.run(**self._values(kind, row, row.args, ROW))

    def _binders(
        self, kind: Kind, row: Row, args: dict[str, ParamValue], part: str
    ) -> dict[str, Binder]:
        found, scope = {}, self._scope(row)
        for param in kind.params:
            value = args.get(param.name)
            if value is not None:
                found[param.name] = scope.binder(param, value, row.id, part)
            elif param.required:
                raise Unbound(cause("unfilled", param=param.label))
        return found

    def _values(
        self, kind: Kind, row: Row, args: dict[str, ParamValue], part: str
    ) -> dict[str, Any]:
        """The arguments of a kind's class: plain values, and for live
        parameters a function that returns the present one.
        """
        given = {}
        for name, binder in self._binders(kind, row, args, part).items():
            param = kind.param(name)
            if param is not None and param.live:
                given[name] = binder
            elif isinstance(args.get(name), KeyRef) and not (
                param and param.keys
            ):
                raise Unbound(cause("unfilled", param=name))
            else:
                given[name] = binder()
        return given


def _states(state: State) -> list[State]:
    return [
        state,
        *(inner for child in state.children for inner in _states(child)),
    ]


def _first_weighted(wrapped: Sequence[Work]) -> Weighted | None:
    """The decorator that gives a row its weight; of several the first, the
    outermost, counts.
    """
    for each in wrapped:
        if isinstance(each, Weighted):
            return each
    return None
