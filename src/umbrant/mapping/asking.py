"""Asking an agent what it would do at a tick, for many pairs of values.

The scenario is played once up to the tick. For each pair a process is forked
that puts the values in, plays that one tick and says what led the agent at its
end. So nothing has to be known of how rows decide: trees and machines with
memory, utilities and own nodes are asked alike.
"""

import json
import os
import signal
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import IO, Any, NoReturn

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import NO_REFUSAL_LOG, RefusalLog, Status
from umbrant.catalog.validation import validate
from umbrant.engine.recorder import CUT_OFF, NullRecorder, RowLog
from umbrant.mapping.axes import (
    AxisError,
    MapAxis,
    MapSubject,
    SenseAxis,
    both_actions,
    catalog_with_given,
    with_row_keys,
)
from umbrant.mapping.call_limit import CallLimit
from umbrant.model.behaviors import Behavior
from umbrant.model.documents import Project
from umbrant.model.values import Point
from umbrant.project_nodes import project_catalog
from umbrant.reasons.decision_changes import behavior_of, branches
from umbrant.rolling.many_takes import default_jobs
from umbrant.rolling.parent import die_with
from umbrant.rolling.roll import RollOrder, begin_play
from umbrant.take.header import Header
from umbrant.take.samples import Posing, unposed

ValuePair = tuple[float, float]
UNANSWERED = "?"
"""Leads where nothing came back: a node of the project's own hung there, or
ended its process.
"""
UNSETTLED = "|unsettled"
"""Stands behind a machine whose transitions lead on and on within the tick, as
they do where two of its bands overlap.
"""


@dataclass(frozen=True)
class MapAnswer:
    """What an agent would do with a pair of values."""

    lead: str
    """The row that leads at the end of the tick, of several branches with ' +
    ' between them; empty for none. A machine with UNSETTLED where the tick had
    to be cut off.
    """
    atoms: dict[str, bool] = field(default_factory=dict)
    """Each atom of a condition that was evaluated, as 'row|part|index', and
    what it came to.
    """
    failed: tuple[str, ...] = ()
    """The rows that were entered or went on in this tick and failed in it, the
    innermost first.
    """


class WatchedAgent(NullRecorder):
    """Keeps of an agent which rows are active, in which order they were
    entered, and what the atoms of its conditions came to last.
    """

    def __init__(self) -> None:
        self.tick = 0
        self._order = 0
        self._entered: dict[str, tuple[int, int]] = {}
        """When each row was entered last: the tick, and its place in the
        order.
        """
        self._active: dict[str, bool] = {}
        self.atoms: dict[str, bool] = {}
        self._failed: tuple[int, list[str]] = (-1, [])
        """The rows that failed, and in which tick."""
        self._cut_off: tuple[int, str] = (-1, "")
        """The machine that was cut off last, and in which tick."""

    def running(self, row_id: str) -> RowLog:
        return _WatchedRow(self, row_id)

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        return partial(self._sensed, row_id, part)

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        if part == CUT_OFF:
            return _CutOffLog(self, row_id)
        return NO_REFUSAL_LOG

    def said(self, text: str) -> None: ...

    def _sensed(
        self, row_id: str, part: str, index: int, result: AtomResult | None
    ) -> None:
        place = f"{row_id}|{part}|{index}"
        if result is None or result.truth is None:
            self.atoms.pop(place, None)
        else:
            self.atoms[place] = result.truth

    def entered(self, row_id: str) -> None:
        """A row was entered."""
        self._order += 1
        self._entered[row_id] = self.tick, self._order
        self._active[row_id] = True

    def left(self, row_id: str, status: Status | None) -> None:
        """A row was left."""
        self._active[row_id] = False
        if status is Status.FAILURE:
            if self._failed[0] != self.tick:
                self._failed = self.tick, []
            self._failed[1].append(row_id)

    def cut_off(self, row_id: str) -> None:
        """The tick of a machine was cut off."""
        self._cut_off = self.tick, row_id

    @property
    def unsettled(self) -> str:
        """The machine that was cut off in this tick; empty for none."""
        tick, row_id = self._cut_off
        if tick == self.tick:
            return row_id
        return ""

    @property
    def failed(self) -> list[str]:
        """The rows that failed in this tick, in the order in which they did."""
        if self._failed[0] == self.tick:
            return self._failed[1]
        return []

    def lead(self, branch: Sequence[str]) -> str:
        """The row of a branch that leads at the end of the tick: of those that
        are active the one that was entered last; else the last that began and
        ended within the tick; empty for none.
        """
        active = [each for each in branch if self._active.get(each)]
        brief = [
            each
            for each in branch
            if self._entered.get(each, (-1, 0))[0] == self.tick
        ]
        return max(
            active or brief, key=lambda each: self._entered[each], default=""
        )


@dataclass(frozen=True)
class _WatchedRow:
    agent: WatchedAgent
    row_id: str

    def entered(self) -> None:
        self.agent.entered(self.row_id)

    def left(self, status: Status | None, cause: Cause | None) -> None:
        self.agent.left(self.row_id, status)


class _CutOffLog:
    """Hears that a machine was cut off. Nothing that is said of it can be
    extended.
    """

    tick = until = 0

    def __init__(self, agent: WatchedAgent, row_id: str) -> None:
        self._agent, self._row_id = agent, row_id

    @property
    def clock(self) -> "_CutOffLog":
        return self

    def __call__(self, reason: Cause, /) -> None:
        self._agent.cut_off(self._row_id)


class SilentWriter:
    """The recorder of a play in which only one agent is watched: what the
    others do is dropped.
    """

    def __init__(self, watched: str) -> None:
        self.agent_watched = WatchedAgent()
        self._watched, self._others = watched, NullRecorder()

    def agent(self, name: str) -> NullRecorder:
        """The recorder of an agent."""
        if name == self._watched:
            return self.agent_watched
        return self._others

    def posing(self, name: str) -> Posing:
        return unposed

    def said(self, name: str, text: str) -> None: ...
    def noticed(self, name: str, what: str, cause: Cause) -> None: ...
    def cue_done(self, number: int, whom: str) -> None: ...
    def body_number(
        self, body: str, number: str, value: float | None
    ) -> None: ...
    def tick_done(self) -> None:
        self.agent_watched.tick += 1

    def prop(
        self, name: str, level: float | None, place: Point, carrier: str | None
    ) -> None: ...


class DecisionAsker:
    """Asks one agent at one tick. Holds the play up to that tick; forks for
    each question. Raises AxisError where an axis does not fit the project, and
    ProjectError if a node file fails. Own code that takes longer than `calls`
    allows ends the process of a question, and on the way to the tick this one.
    """

    def __init__(
        self,
        subject: MapSubject,
        axes: tuple[MapAxis, MapAxis],
        calls: CallLimit,
        *,
        trusted: bool,
    ) -> None:
        self.subject, self.axes = subject, axes
        header = subject.take.header
        project = with_row_keys(header.project, subject.behavior, axes)
        if project is not header.project:
            _refuse_new_problems(header.project, project)
        behavior = behavior_of(subject.take, subject.agent)
        if behavior is not None:
            self._branches = branches(behavior)
        else:
            self._branches = ()
        self._given: dict[str, float] = {}
        self._writer = SilentWriter(subject.agent)
        catalog = catalog_with_given(BUILTIN, subject.agent, axes, self._given)
        self._play = begin_play(
            _order(header, project, trusted), self._writer, catalog, calls
        )
        for tick in range(subject.tick):
            self._play.tick(tick)

    def ask(self, points: Sequence[ValuePair]) -> list[MapAnswer]:
        """What it would do for each pair of values, in their order. As many
        processes as there are cores share them.
        """
        jobs = max(1, min(default_jobs(), len(points)))
        shares = [points[first::jobs] for first in range(jobs)]
        pipes = [self._begin(share) for share in shares]
        shared = zip(pipes, shares, strict=True)
        answers = [list(_answers(pipe, len(share))) for pipe, share in shared]
        for _ in pipes:
            with suppress(ChildProcessError):
                os.wait()
        found: list[MapAnswer] = [MapAnswer(UNANSWERED)] * len(points)
        for first, share in enumerate(answers):
            found[first::jobs] = share
        return found

    def _begin(self, share: Sequence[ValuePair]) -> IO[str]:
        """A process that asks for each of some pairs, and what it says of
        them.
        """
        reading, writing = os.pipe()
        parent = os.getpid()
        if os.fork() == 0:
            os.close(reading)
            _in_child(parent, partial(self._answer_all, share, writing))
        os.close(writing)
        return os.fdopen(reading)

    def _answer_all(self, share: Sequence[ValuePair], writing: int) -> None:
        for values in share:
            # Each pair is played in a process of its own: a tick that has been
            # played cannot be taken back.
            parent = os.getpid()
            pid = os.fork()
            if pid == 0:
                _in_child(parent, partial(self._answer, values, writing))
            _, status = os.waitpid(pid, 0)
            if status:
                os.write(writing, b"null\n")

    def _answer(self, values: ValuePair, writing: int) -> None:
        for axis, value in zip(self.axes, values, strict=True):
            if isinstance(axis, SenseAxis):
                self._given[axis.name] = value
        actions = both_actions(self.subject, self.axes, values)
        watched = self._writer.agent_watched
        self._play.decide(self.subject.tick, actions, self.subject.agent)
        leads = [watched.lead(branch) for branch in self._branches]
        lead = " + ".join(dict.fromkeys(each for each in leads if each))
        if watched.unsettled:
            # Which state it was in when it was cut off is of no account: it
            # would go on from there.
            lead = f"{watched.unsettled}{UNSETTLED}"
        said = [lead, watched.atoms, watched.failed]
        # One write of less than a pipe holds is not broken up; the parent
        # reads lines.
        os.write(writing, (json.dumps(said) + "\n").encode())


def _refuse_new_problems(before: Project, after: Project) -> None:
    """Raise AxisError for the first problem that a project has and the one
    before it had not.
    """
    known = validate(before, project_catalog(before).catalog)
    problems = validate(after, project_catalog(after).catalog)
    wrong = [each for each in problems if each not in known]
    if wrong:
        raise AxisError(
            f"{wrong[0].message} A number of another sort cannot be an axis."
        )


def _order(header: Header, project: Project, trusted: bool) -> RollOrder:
    """The order to play a take again, with nothing written."""
    seconds = header.ticks / header.ticks_per_s
    return RollOrder(
        project,
        header.scenario,
        Path(os.devnull),
        header.seed,
        seconds,
        trusted,
    )


def _in_child(parent: int, work: Callable[[], None]) -> NoReturn:
    """Do the work of a process just forked, and end it without the clearing up
    of its parent.
    """
    code = 1
    try:
        die_with(parent, signal.SIGKILL)
        # Too long a call ends this process alone, whatever its parent does.
        signal.signal(signal.SIGALRM, signal.SIG_DFL)
        work()
        code = 0
    finally:
        os._exit(code)


def _answers(pipe: IO[str], count: int) -> Iterator[MapAnswer]:
    """The answers that a process gives; UNANSWERED for those that it does not."""
    with pipe:
        given = 0
        for line in pipe:
            found = json.loads(line)
            yield _answer_of(found)
            given += 1
        yield from [MapAnswer(UNANSWERED)] * (count - given)


def _answer_of(said: list[Any] | None) -> MapAnswer:
    if said is None:
        return MapAnswer(UNANSWERED)
    lead, atoms, failed = said
    return MapAnswer(lead, atoms, tuple(failed))


def row_names(behavior: Behavior) -> dict[str, str]:
    """Each row by its number and name."""
    return {
        row_id: f"{number} {behavior.row(row_id).name}".strip()
        for row_id, number in behavior.outline.number.items()
    }
