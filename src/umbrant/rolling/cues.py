"""The cues of a scenario: what happens at a time, or when a condition on the
keys of the world comes true.
"""

from dataclasses import dataclass
from functools import singledispatchmethod
from random import Random

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.kinds.decorators import SLACK_S
from umbrant.catalog.language.bound_condition import BoundCondition
from umbrant.catalog.protocols import Unbound
from umbrant.catalog.world import BodyView
from umbrant.engine.binding import BindingScope
from umbrant.engine.board import Board
from umbrant.engine.events import EventInbox
from umbrant.engine.recorder import NullRecorder
from umbrant.engine.runner import CastContext
from umbrant.model.expanded import KeyScope
from umbrant.model.staging import (
    Cue,
    CueAction,
    DropProp,
    HoldResult,
    MoveTo,
    RaiseEvent,
    Scenario,
    SetKey,
    SetNumber,
    TakeAway,
    concerned,
)
from umbrant.rolling.play_recorder import PlayRecorder
from umbrant.stage.world import StageWorld

BY_CUE = "cue"
"""The part that is noted as the writer of keys that a cue sets."""


class CueHost:
    """The agent on whose behalf the conditions of cues are evaluated: it has
    the world's keys and no body.
    """

    name = ""
    began_s = 0.0

    def __init__(
        self, common: CastContext, world: StageWorld, writer: PlayRecorder
    ) -> None:
        keys = common.project.world_keys()
        # What a cue writes to keys of the world is recorded under no name: it
        # is no agent of the cast.
        recorder = writer.agent("")
        self.world = world
        # A seeded generator is what a take needs.
        self.random = Random(f"{common.seed}/")  # noqa: S311
        self.board = Board(keys, recorder, world, shared=common.shared)
        self.events = EventInbox(
            common.event_bus, "", None, lambda: world.now_s
        )
        self.board.start({})
        self.board.writer = ("", BY_CUE)
        self._common = common
        self._scope = BindingScope(
            self,
            KeyScope("", "", keys, {name: name for name in keys}),
            common.catalog,
            NullRecorder(),
        )

    @property
    def body(self) -> BodyView:
        """There is none. Raises Unbound."""
        raise Unbound(cause("no_body"))

    def is_in(self, row_name: str) -> bool:
        """Whether any agent is in a row of this name."""
        return any(each.is_in(row_name) for each in self._common.runners)

    def time_in(self, row_name: str) -> float | None:
        """For how long any agent has been in a row of this name: of several,
        the longest.
        """
        spent = [
            found
            for each in self._common.runners
            if (found := each.time_in(row_name)) is not None
        ]
        return max(spent, default=None)

    def others_in(self, row_name: str, group: str) -> int:
        """How many agents of a group are in a row of this name."""
        return sum(
            each.is_in(row_name)
            for each in self._common.runners
            if group in ("", each.group)
        )

    def question(self, when: str) -> BoundCondition:
        """The condition of a cue. Raises Unbound."""
        return self._scope.question(when, "", "")


@dataclass
class _Waiting:
    cue: Cue
    number: int
    question: BoundCondition | None = None
    was_true: bool = False
    done: bool = False
    is_later: bool = False
    """Whether it is what a cue has left for later."""


def numbered(scenario: Scenario) -> dict[int, Cue]:
    """The cues of a scenario by their numbers from 1 on: those that are
    written, then those that bring on the copies of spawners.
    """
    arrivals = [cue for member in scenario.cast for cue in member.arrivals()]
    return dict(enumerate((*scenario.cues, *arrivals), 1))


class CuePlayer:
    """Does the cues as they come due. What cannot be done is noted in the
    take, and the rest goes on.
    """

    def __init__(
        self,
        scenario: Scenario,
        common: CastContext,
        world: StageWorld,
        writer: PlayRecorder,
    ) -> None:
        self._scenario = scenario
        self._common = common
        self._world = world
        self._writer = writer
        self._director = CueHost(common, world, writer)
        self._waiting = [
            _Waiting(cue, number) for number, cue in numbered(scenario).items()
        ]
        for each in self._waiting:
            if each.cue.when:
                try:
                    each.question = self._director.question(each.cue.when)
                except Unbound as unbound:
                    self._cannot(f"cue {each.number}", unbound.reason)

    def tick(self) -> None:
        """Do the cues that are due at this tick, in their written order."""
        self._director.events.begin()
        # What a cue leaves for later waits from the next tick on: nothing is
        # added to what is being gone through.
        later = [
            one
            for each in self._waiting
            if self._is_due(each)
            for one in self._begin(each)
        ]
        self._waiting.extend(later)

    def take_up(self, scenario: Scenario) -> None:
        """Go on with the cues of another scenario, which has the same ones but
        for some whose time has not come yet.
        """
        given = numbered(scenario)
        later = [each for each in self._waiting if each.is_later]
        # A cue that has been there before keeps what it remembers: whether it
        # was done, and whether its condition was true.
        known = {
            each.number: each
            for each in self._waiting
            if not each.is_later and given.get(each.number) == each.cue
        }
        self._scenario = scenario
        self._waiting = [
            known.get(number) or _Waiting(cue, number)
            for number, cue in given.items()
        ]
        self._waiting.extend(later)

    def do(self, action: CueAction, called: str) -> None:
        """Carry out an action now; one that cannot be done is noted in the
        take under the name `called`.
        """
        reason = self._do(action)
        if reason is not None:
            self._cannot(called, reason)

    def _begin(self, waiting: _Waiting) -> list[_Waiting]:
        """Start a cue for each member it names; returns the actions that are
        due later.
        """
        later: list[_Waiting] = []
        for later_s, action in self._scenario.spelled_out(waiting.cue.does):
            if later_s:
                at_s = round(self._world.now_s + later_s, 6)
                cue = Cue(at_s=at_s, does=action)
                later.append(_Waiting(cue, waiting.number, is_later=True))
            else:
                self._writer.cue_done(waiting.number, concerned(action))
                self.do(action, f"cue {waiting.number}")
        return later

    def _is_due(self, each: _Waiting) -> bool:
        if each.question is None:
            at_s = each.cue.at_s
            if each.done or at_s is None or self._world.now_s < at_s - SLACK_S:
                return False
            each.done = True
            return True
        # A cue with a condition is done as that turns to yes, not at each tick
        # at which it holds.
        before, each.was_true = each.was_true, each.question.evaluate()
        return each.was_true and not before

    @singledispatchmethod
    def _do(self, action: CueAction) -> Cause | None:
        raise TypeError(f"{action!r} is no action of a cue")

    @_do.register
    def _raise(self, action: RaiseEvent) -> Cause | None:
        self._common.raise_event(action.raises, action.to, self._world.now_s)
        return None

    @_do.register
    def _set(self, action: SetKey) -> Cause | None:
        board, shown = self._director.board, action.sets
        if action.of is not None:
            runner = next(
                (
                    each
                    for each in self._common.runners
                    if each.name == action.of
                ),
                None,
            )
            if runner is None:
                return cause("not_there", name=action.of)
            board = runner.board
            board.writer = ("", BY_CUE)
        if board.type_of(shown) is None:
            return cause("no_key", key=shown)
        board.set(shown, action.value)
        return None

    @_do.register
    def _move(self, action: MoveTo) -> Cause | None:
        if self._world.put(action.moves, action.to):
            return None
        return cause("not_there", name=action.moves)

    @_do.register
    def _drop(self, action: DropProp) -> Cause | None:
        self._world.drop(action.drops)
        return None

    @_do.register
    def _remove(self, action: TakeAway) -> Cause | None:
        if self._world.take_away(action.removes):
            return None
        return cause("not_there", name=action.removes)

    @_do.register
    def _change_number(self, action: SetNumber) -> Cause | None:
        body = self._world.cast.get(action.of)
        if body is None:
            return cause("not_there", name=action.of)
        if not body.set_stat(action.changes, action.value):
            return cause("no_stat", name=action.of, stat=action.changes)
        return None

    @_do.register
    def _hold(self, action: HoldResult) -> Cause | None:
        runner = next(
            (each for each in self._common.runners if each.name == action.of),
            None,
        )
        if runner is None:
            return cause("not_there", name=action.of)
        if not runner.hold(action.holds, action.result):
            return cause("no_row", name=action.holds)
        return None

    def _cannot(self, called: str, reason: Cause) -> None:
        self._writer.noticed("", called, reason)
