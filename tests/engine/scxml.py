"""The algorithm of the SCXML Recommendation, Appendix D, transcribed line by
line: what the engine is tested against.

Left out is what our machines do not have: data models, executable content,
invoking and sending. Names are those of the appendix.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

MOST = 60
"""How many microsteps in a row are taken for a loop without an end."""


@dataclass
class S:
    """A state: kind is 'state', 'parallel', 'final' or 'history'."""

    id: str
    kind: str = "state"
    parent: "S | None" = None
    children: list["S"] = field(default_factory=list)
    transitions: list["T"] = field(default_factory=list)
    initial: str | None = None
    deep: bool = False
    order: int = 0


@dataclass
class T:
    id: str
    source: S
    event: str | None
    target: str | None
    internal: bool = False
    cond: str = ""
    """Its condition; one that is empty always holds."""
    also: str | None = None
    """A second target."""

    @property
    def targets(self) -> list[str]:
        return [each for each in (self.target, self.also) if each]


class Interpreter:
    def __init__(self, scxml: S) -> None:
        self.scxml = scxml
        self.states: dict[str, S] = {}
        self._number(scxml)
        self.configuration: list[S] = []
        self.historyValue: dict[str, list[S]] = {}
        self.internalQueue: list[str] = []
        self.running = True
        self.log: list[tuple[str, str]] = []
        self.conditionMatch: Callable[[T], bool] = lambda t: True

    def _number(self, state: S) -> None:
        state.order = len(self.states)
        self.states[state.id] = state
        for child in state.children:
            self._number(child)

    # procedure interpret, mainEventLoop

    def interpret(self) -> int:
        first = T("initial", self.scxml, None, self._initial(self.scxml))
        self.enterStates([first])
        return self.macrostep()

    def send(self, event: str) -> int:
        """Returns how many microsteps followed upon the event."""
        if not self.running:
            return 0
        enabledTransitions = self.selectTransitions(event)
        if enabledTransitions:
            self.microstep(enabledTransitions)
        return self.macrostep()

    def macrostep(self) -> int:
        """Returns how many microsteps there were; there are at most MOST."""
        steps = 0
        while self.running and steps < MOST:
            enabledTransitions = self.selectTransitions(None)
            if not enabledTransitions:
                if not self.internalQueue:
                    break
                enabledTransitions = self.selectTransitions(
                    self.internalQueue.pop(0)
                )
            if enabledTransitions:
                steps += 1
                self.microstep(enabledTransitions)
        return steps

    # selectEventlessTransitions, selectTransitions

    def selectTransitions(self, event: str | None) -> list[T]:
        enabledTransitions: list[T] = []
        atomicStates = [s for s in self.configuration if self.isAtomicState(s)]
        for state in sorted(atomicStates, key=lambda s: s.order):
            for s in [state, *self.getProperAncestors(state, None)]:
                found = None
                for t in s.transitions:
                    named = (event is None and t.event is None) or (
                        t.event is not None and t.event == event
                    )
                    if named and self.conditionMatch(t):
                        found = t
                        break
                if found is not None:
                    if found not in enabledTransitions:
                        enabledTransitions.append(found)
                    break
        return self.removeConflictingTransitions(enabledTransitions)

    def removeConflictingTransitions(
        self, enabledTransitions: list[T]
    ) -> list[T]:
        filteredTransitions: list[T] = []
        for t1 in enabledTransitions:
            t1Preempted = False
            transitionsToRemove: list[T] = []
            for t2 in filteredTransitions:
                if any(
                    s in self.computeExitSet([t2])
                    for s in self.computeExitSet([t1])
                ):
                    if self.isDescendant(t1.source, t2.source):
                        transitionsToRemove.append(t2)
                    else:
                        t1Preempted = True
                        break
            if not t1Preempted:
                for t3 in transitionsToRemove:
                    filteredTransitions.remove(t3)
                filteredTransitions.append(t1)
        return filteredTransitions

    # microstep

    def microstep(self, enabledTransitions: list[T]) -> None:
        self.exitStates(enabledTransitions)
        self.log.extend(("fired", t.id) for t in enabledTransitions)
        self.enterStates(enabledTransitions)

    def exitStates(self, enabledTransitions: list[T]) -> None:
        statesToExit = sorted(
            self.computeExitSet(enabledTransitions), key=lambda s: -s.order
        )
        for s in statesToExit:
            for h in s.children:
                if h.kind == "history":
                    if h.deep:
                        kept = [
                            c
                            for c in self.configuration
                            if self.isAtomicState(c)
                            and self.isDescendant(c, s)
                        ]
                    else:
                        kept = [c for c in self.configuration if c.parent is s]
                    self.historyValue[h.id] = kept
        for s in statesToExit:
            self.log.append(("left", s.id))
            self.configuration.remove(s)

    def computeExitSet(self, transitions: list[T]) -> list[S]:
        statesToExit: list[S] = []
        for t in transitions:
            if t.targets:
                domain = self.getTransitionDomain(t)
                for s in self.configuration:
                    if self.isDescendant(s, domain) and s not in statesToExit:
                        statesToExit.append(s)
        return statesToExit

    def enterStates(self, enabledTransitions: list[T]) -> None:
        statesToEnter: list[S] = []
        self.computeEntrySet(enabledTransitions, statesToEnter)
        # The configuration is a set: what is in it and was not left is not
        # entered a second time.
        for s in sorted(
            (s for s in statesToEnter if s not in self.configuration),
            key=lambda s: s.order,
        ):
            self.configuration.append(s)
            self.log.append(("entered", s.id))
            if s.kind == "final":
                if s.parent is self.scxml:
                    self.running = False
                else:
                    parent = s.parent
                    assert parent is not None
                    grandparent = parent.parent
                    self.internalQueue.append(f"done.{parent.id}")
                    parallel = (
                        grandparent is not None
                        and grandparent.kind == "parallel"
                    )
                    if parallel and all(
                        self.isInFinalState(c)
                        for c in self.getChildStates(grandparent)
                    ):
                        self.internalQueue.append(f"done.{grandparent.id}")

    def computeEntrySet(
        self, transitions: list[T], statesToEnter: list[S]
    ) -> None:
        for t in transitions:
            for target in t.targets:
                self.addDescendantStatesToEnter(
                    self.states[target], statesToEnter
                )
            ancestor = self.getTransitionDomain(t)
            for s in self.getEffectiveTargetStates(t):
                self.addAncestorStatesToEnter(s, ancestor, statesToEnter)

    def addDescendantStatesToEnter(
        self, state: S, statesToEnter: list[S]
    ) -> None:
        if state.kind == "history":
            assert state.parent is not None
            targets = self.historyValue.get(state.id) or self._default(state)
            for s in targets:
                self.addDescendantStatesToEnter(s, statesToEnter)
            for s in targets:
                self.addAncestorStatesToEnter(s, state.parent, statesToEnter)
            return
        if state not in statesToEnter:
            statesToEnter.append(state)
        if self.isCompoundState(state):
            first = self.states[self._initial(state)]
            self.addDescendantStatesToEnter(first, statesToEnter)
            self.addAncestorStatesToEnter(first, state, statesToEnter)
        elif state.kind == "parallel":
            for child in self.getChildStates(state):
                if not any(self.isDescendant(s, child) for s in statesToEnter):
                    self.addDescendantStatesToEnter(child, statesToEnter)

    def addAncestorStatesToEnter(
        self, state: S, ancestor: S | None, statesToEnter: list[S]
    ) -> None:
        for anc in self.getProperAncestors(state, ancestor):
            if anc not in statesToEnter:
                statesToEnter.append(anc)
            if anc.kind == "parallel":
                for child in self.getChildStates(anc):
                    if not any(
                        self.isDescendant(s, child) for s in statesToEnter
                    ):
                        self.addDescendantStatesToEnter(child, statesToEnter)

    # the small procedures

    def getTransitionDomain(self, t: T) -> S | None:
        tstates = self.getEffectiveTargetStates(t)
        if not tstates:
            return None
        if (
            t.internal
            and self.isCompoundState(t.source)
            and all(self.isDescendant(s, t.source) for s in tstates)
        ):
            return t.source
        return self.findLCCA([t.source, *tstates])

    def findLCCA(self, stateList: list[S]) -> S:
        for anc in self.getProperAncestors(stateList[0], None):
            if (anc is self.scxml or self.isCompoundState(anc)) and all(
                self.isDescendant(s, anc) for s in stateList[1:]
            ):
                return anc
        return self.scxml

    def getEffectiveTargetStates(self, t: T) -> list[S]:
        targets: list[S] = []
        for s in (self.states[target] for target in t.targets):
            if s.kind != "history":
                targets.append(s)
            elif s.id in self.historyValue:
                targets.extend(self.historyValue[s.id])
            else:
                targets.extend(self._default(s))
        return targets

    def getProperAncestors(self, state1: S, state2: S | None) -> list[S]:
        found: list[S] = []
        parent = state1.parent
        while parent is not None and parent is not state2:
            found.append(parent)
            parent = parent.parent
        return [s for s in found if state2 is None or s is not state2]

    def isDescendant(self, state1: S, state2: S | None) -> bool:
        return state2 is not None and state2 in self.getProperAncestors(
            state1, None
        )

    def isCompoundState(self, s: S) -> bool:
        return s.kind == "state" and bool(self.getChildStates(s))

    def isAtomicState(self, s: S) -> bool:
        return s.kind == "final" or (
            s.kind == "state" and not self.getChildStates(s)
        )

    def isInFinalState(self, s: S) -> bool:
        if self.isCompoundState(s):
            return any(
                c.kind == "final" and c in self.configuration
                for c in self.getChildStates(s)
            )
        if s.kind == "parallel":
            return all(self.isInFinalState(c) for c in self.getChildStates(s))
        return False

    def getChildStates(self, s: S) -> list[S]:
        return [c for c in s.children if c.kind != "history"]

    def _initial(self, s: S) -> str:
        return s.initial or self.getChildStates(s)[0].id

    def _default(self, history: S) -> list[S]:
        assert history.parent is not None
        if history.initial:
            return [self.states[history.initial]]
        if history.parent.kind == "parallel":
            return self.getChildStates(history.parent)
        first = self.states[self._initial(history.parent)]
        # The Recommendation wants a default here; ours is the first state
        # where there is none.
        return [
            self.getChildStates(history.parent)[0]
            if first.kind == "history"
            else first
        ]
