"""Which transitions of a machine are taken, and which states they leave and
enter: the rules of the W3C's State Chart XML (SCXML), Appendix D, over plain
data.

A chart is a tree of states. The names of the steps are those of the appendix,
so that they can be read side by side. What is a transition's condition, and
what is done on the way, is not known here.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum


class StateType(StrEnum):
    """The types of a state in a chart, after SCXML."""

    STATE = "state"
    """Atomic if there are no states in it, else compound."""
    REGIONS = "regions"
    """All states in it are active at once: `<parallel>`."""
    FINAL = "final"
    HISTORY = "history"


@dataclass(eq=False)
class State:
    """One state. `order` counts in document order; the chart itself is the
    state without a parent.
    """

    id: str
    type: StateType = StateType.STATE
    parent: "State | None" = None
    children: list["State"] = field(default_factory=list)
    transitions: list["Transition"] = field(default_factory=list)
    initial: "State | None" = None
    """Of a compound state, the one it begins in; of a history, where it leads
    when there is nothing to go back to.
    """
    deep: bool = False
    order: int = 0

    @property
    def atomic(self) -> bool:
        """Whether no state in it can be active."""
        return self.type is StateType.FINAL or not self.proper

    @property
    def compound(self) -> bool:
        """Whether one of the states in it is active when it is."""
        return self.type is StateType.STATE and bool(self.proper)

    @property
    def proper(self) -> list["State"]:
        """The states in it that can be active, which histories cannot."""
        return [
            child
            for child in self.children
            if child.type is not StateType.HISTORY
        ]

    def add(self, child: "State") -> "State":
        """Put a state into this one."""
        child.parent = self
        self.children.append(child)
        return child

    def ancestors(self, up_to: "State | None" = None) -> Iterable["State"]:
        """`getProperAncestors`: the states around it, the innermost first,
        `up_to` left out.
        """
        state = self.parent
        while state is not None and state is not up_to:
            yield state
            state = state.parent

    def within(self, other: "State") -> bool:
        """`isDescendant`: whether it is somewhere inside another state."""
        return any(each is other for each in self.ancestors())


class TransitionTrigger(StrEnum):
    """What a transition waits for."""

    NOTHING = "nothing"
    """It is asked at every step: a condition, or a time."""
    EVENT = "event"
    """An event: one from outside, one raised in the machine, or that a state
    is done.
    """


@dataclass(eq=False)
class Transition:
    """Leads from `source` to `targets`; without a target nothing is left or
    entered. Several are in different regions, all of which are entered.
    """

    id: str
    source: State
    targets: tuple[State, ...] = ()
    internal: bool = False
    waits: TransitionTrigger = TransitionTrigger.NOTHING


@dataclass
class Microstep:
    """What one microstep did: the states left, the innermost first, and those
    entered, the outermost first.
    """

    left: list[State]
    entered: list[State]
    done: list[tuple[State, State]] = field(default_factory=list)
    """The states that got done by it, each with the final state whose entry
    made it so, in the order of the events.
    """


class Chart:
    """A chart with its present configuration (the active states) and the
    configurations its histories keep.
    """

    def __init__(self, root: State) -> None:
        self.root = root
        self.active: list[State] = []
        """The configuration, in document order."""
        self._remembered: dict[str, list[State]] = {}
        self._candidates: dict[
            TransitionTrigger | None,
            tuple[list[Transition], list[list[Transition]]],
        ] = {}
        for order, state in enumerate(_all(root)):
            state.order = order

    def begin(self) -> Microstep:
        """Enter the root and the state it begins in."""
        self.active, self._remembered = [], {}
        entry: dict[int, State] = {}
        self._add_descendants(self.root, entry)
        entered, done = self._enter(entry)
        return Microstep([], entered, done)

    def end(self) -> list[State]:
        """Leave everything; returns the states left, the innermost first."""
        left = list(reversed(self.active))
        self.active = []
        self._candidates = {}
        return left

    def situation(self) -> tuple[object, ...]:
        """Its configuration and what its histories remember, to be compared
        with another moment's.
        """
        active = tuple(state.order for state in self.active)
        remembered = tuple(
            (history, tuple(state.order for state in states))
            for history, states in sorted(self._remembered.items())
        )
        return active, remembered

    def select(
        self,
        enabled: Callable[[Transition], bool],
        waits: TransitionTrigger | None = None,
    ) -> list[Transition]:
        """`selectTransitions`: for each active atomic state the first enabled
        transition, its own before those of outer states.

        `enabled` is called at most once for each transition. With `waits` only
        transitions of that trigger are considered.
        """
        transitions = self.candidates(waits)
        first = next(
            (index for index, each in enumerate(transitions) if enabled(each)),
            None,
        )
        if first is not None:
            return self.select_from(first, enabled, waits)
        return []

    def candidates(
        self, waits: TransitionTrigger | None = None
    ) -> list[Transition]:
        """The transitions that could be taken, in the order in which they are
        asked. The same list until a step is taken.
        """
        return self._candidates_for(waits)[0]

    def select_from(
        self,
        first: int,
        enabled: Callable[[Transition], bool],
        waits: TransitionTrigger | None = None,
    ) -> list[Transition]:
        """As `select`, where it is known already that the first enabled one is
        at this place among the candidates.
        """
        transitions, candidates = self._candidates_for(waits)
        answers = {
            each.id: index == first
            for index, each in enumerate(transitions[: first + 1])
        }
        chosen: list[Transition] = []
        for of_state in candidates:
            for each in of_state:
                if each.id not in answers:
                    answers[each.id] = enabled(each)
                if answers[each.id]:
                    if each not in chosen:
                        chosen.append(each)
                    break
        if len(chosen) > 1:
            return self.without_conflicts(chosen)
        return chosen

    def _candidates_for(
        self, waits: TransitionTrigger | None
    ) -> tuple[list[Transition], list[list[Transition]]]:
        """For each active atomic state the transitions that could be taken, in
        order, and before that all of them.

        Kept until a step is taken, for at most ticks none is.
        """
        if waits not in self._candidates:
            found = []
            for state in self.active:
                if state.atomic:
                    unwind = (
                        each
                        for outer in (state, *state.ancestors())
                        for each in outer.transitions
                    )
                    mine = [
                        each
                        for each in unwind
                        if waits is None or each.waits is waits
                    ]
                    if mine:
                        found.append(mine)
            every = {each.id: each for mine in found for each in mine}
            self._candidates[waits] = list(every.values()), found
        return self._candidates[waits]

    def without_conflicts(
        self, chosen: Sequence[Transition]
    ) -> list[Transition]:
        """`removeConflictingTransitions`: of two that leave the same state the
        inner one stays, else the earlier.
        """
        kept: list[Transition] = []
        for one in chosen:
            beaten: list[Transition] = []
            for other in kept:
                if _meet(self.exit_set([one]), self.exit_set([other])):
                    if not one.source.within(other.source):
                        break
                    beaten.append(other)
            else:
                kept = [each for each in kept if each not in beaten]
                kept.append(one)
        return kept

    def exit_set(self, transitions: Sequence[Transition]) -> list[State]:
        """`computeExitSet`: the active states that these transitions leave,
        the innermost first (`exitOrder`).
        """
        found: dict[int, State] = {}
        for transition in transitions:
            domain = self.domain(transition)
            if domain is not None:
                found.update(
                    (state.order, state)
                    for state in self.active
                    if state.within(domain)
                )
        return [found[order] for order in sorted(found, reverse=True)]

    def domain(self, transition: Transition) -> State | None:
        """`getTransitionDomain`: the innermost state that contains all states
        left and entered; None without a target.
        """
        targets = self.effective_targets(transition)
        if not targets:
            return None
        source = transition.source
        if (
            transition.internal
            and source.compound
            and all(state.within(source) for state in targets)
        ):
            return source
        return self._common(source, targets)

    def effective_targets(self, transition: Transition) -> list[State]:
        """`getEffectiveTargetStates`: the targets, with the states that a
        history remembers in its place.
        """
        found: list[State] = []
        for target in transition.targets:
            if target.type is not StateType.HISTORY:
                found.append(target)
            else:
                found.extend(
                    self._remembered.get(target.id) or self._otherwise(target)
                )
        return found

    def take(self, transitions: Sequence[Transition]) -> Microstep:
        """`microstep` without executable content: leaves the exit set and
        enters the entry set.
        """
        left = self.exit_set(transitions)
        for state in left:
            self._remember(state)
        # Only now: a history that is led to may have remembered, in this very
        # step, what was just left.
        entry = self._entry_set(transitions)
        gone = {state.order for state in left}
        self.active = [
            state for state in self.active if state.order not in gone
        ]
        # An internal transition to a history around its source leads past
        # states that it did not leave.
        staying = {state.order for state in self.active}
        entered, done = self._enter(
            {
                order: state
                for order, state in entry.items()
                if order not in staying
            }
        )
        return Microstep(left, entered, done)

    def is_done(self, state: State) -> bool:
        """`isInFinalState`: whether a final state in it is active; of regions,
        whether all of them are done.
        """
        if state.type is StateType.REGIONS:
            return all(self.is_done(child) for child in state.proper)
        return any(
            child.type is StateType.FINAL and child in self.active
            for child in state.children
        )

    def _enter(
        self, entry: dict[int, State]
    ) -> tuple[list[State], list[tuple[State, State]]]:
        """`enterStates`: one after the other, so that regions are done only
        once the last of them is.
        """
        entered = [entry[order] for order in sorted(entry)]
        done: list[tuple[State, State]] = []
        self._candidates = {}
        for state in entered:
            self.active.append(state)
            if state.type is StateType.FINAL and state.parent is not None:
                done.append((state.parent, state))
                outer = state.parent.parent
                if (
                    outer is not None
                    and outer.type is StateType.REGIONS
                    and self.is_done(outer)
                ):
                    done.append((outer, state))
        self.active.sort(key=lambda state: state.order)
        return entered, done

    def _remember(self, state: State) -> None:
        for history in state.children:
            if history.type is StateType.HISTORY:
                inside = [each for each in self.active if each.within(state)]
                if history.deep:
                    keep = [each for each in inside if each.atomic]
                else:
                    keep = [each for each in inside if each.parent is state]
                self._remembered[history.id] = keep

    def _entry_set(
        self, transitions: Sequence[Transition]
    ) -> dict[int, State]:
        """SCXML's `computeEntrySet`: the states that a set of transitions
        enters, in document order.
        """
        entry: dict[int, State] = {}
        for transition in transitions:
            for target in transition.targets:
                self._add_descendants(target, entry)
            ancestor = self.domain(transition)
            for state in self.effective_targets(transition):
                self._add_ancestors(state, ancestor, entry)
        return entry

    def _add_descendants(self, state: State, entry: dict[int, State]) -> None:
        """SCXML's `addDescendantStatesToEnter`: a state, and the states in it
        that are entered with it.
        """
        if state.type is StateType.HISTORY:
            targets = self._remembered.get(state.id) or self._otherwise(state)
            for target in targets:
                self._add_descendants(target, entry)
            for target in targets:
                self._add_ancestors(target, state.parent, entry)
            return
        entry[state.order] = state
        if state.compound:
            first = _first(state)
            self._add_descendants(first, entry)
            self._add_ancestors(first, state, entry)
        elif state.type is StateType.REGIONS:
            self._add_regions(state, entry)

    def _add_ancestors(
        self, state: State, up_to: State | None, entry: dict[int, State]
    ) -> None:
        """SCXML's `addAncestorStatesToEnter`: the states around a state, up to
        an outer one.
        """
        for outer in state.ancestors(up_to):
            entry[outer.order] = outer
            if outer.type is StateType.REGIONS:
                self._add_regions(outer, entry)

    def _add_regions(self, state: State, entry: dict[int, State]) -> None:
        for child in state.proper:
            if not any(
                each.within(child) or each is child for each in entry.values()
            ):
                self._add_descendants(child, entry)

    def _otherwise(self, history: State) -> list[State]:
        """The default of a history that remembers nothing. A default outside
        of the history's parent is ignored.
        """
        around, first = history.parent, history.initial
        assert around is not None  # noqa: S101  (a history is never the root)
        if (
            first is not None
            and first.within(around)
            and first.type is not StateType.HISTORY
        ):
            return [first]
        if around.type is StateType.REGIONS:
            return around.proper
        begins = _first(around)
        # A state that begins in its own history has nothing to go back to at
        # first.
        return [
            around.proper[0] if begins.type is StateType.HISTORY else begins
        ]

    def _common(self, source: State, targets: Sequence[State]) -> State:
        """`findLCCA`: the innermost compound state, or the root, around all of
        them.
        """
        for outer in source.ancestors():
            if (outer.compound or outer.parent is None) and all(
                state.within(outer) for state in targets
            ):
                return outer
        return self.root


def _first(state: State) -> State:
    """The state that a compound state begins in, or the history that stands
    for it. One that is no descendant of it is passed over.
    """
    if state.initial is not None and state.initial.within(state):
        return state.initial
    return state.proper[0]


def _meet(one: Sequence[State], other: Sequence[State]) -> bool:
    orders = {state.order for state in one}
    return any(state.order in orders for state in other)


def _all(state: State) -> Iterable[State]:
    yield state
    for child in state.children:
        yield from _all(child)
