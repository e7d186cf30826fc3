"""What happened within a tick, step by step: against a log of everything that
the engine said.
"""

from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given, settings

from tests.engine.trees import IN_ORDER, trees
from tests.kinds import CATALOG
from tests.small import key, project, row
from umbrant.catalog.causes import Cause
from umbrant.catalog.kind import Family
from umbrant.catalog.protocols import RefusalLog, Status
from umbrant.engine.recorder import RowLog
from umbrant.model.behaviors import Key, Row, Sharing, Watch
from umbrant.model.documents import Project
from umbrant.model.staging import Cue, Member, MoveTo, RaiseEvent, SetKey
from umbrant.model.values import KeyType, Value
from umbrant.reasons.tick_step import StepKind, TickStep
from umbrant.reasons.tick_steps import TickReport
from umbrant.rolling.roll import Play, header_of
from umbrant.take.agent_writer import AgentWriter
from umbrant.take.reader import Take, read_take
from umbrant.take.writer import TakeWriter

Event = tuple[int, str, str, str]
"""A tick, what happened, and to which row and part."""


class FullLogWriter(AgentWriter):
    """Records as a take does, and keeps every event besides, also those that
    are repeated.
    """

    def __init__(
        self, name: str, buffer: TakeWriter, log: list[Event]
    ) -> None:
        super().__init__(name, buffer)
        self._log = log
        self._clock = buffer

    def note(self, what: str, row_id: str, part: str = "") -> None:
        self._log.append((self._clock.tick, what, row_id, part))

    def running(self, row_id: str) -> RowLog:
        return _LoggedRow(super().running(row_id), row_id, self.note)

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        return _LoggedRefusals(
            super().refusing(row_id, part), row_id, part, self.note
        )

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        count = super().counting(row_id, part)

        def counted() -> None:
            self.note("upkeep", row_id, part)
            count()

        return counted

    def wrote(
        self,
        board: str,
        key: str,
        value: Value | None,
        row_id: str,
        part: str,
        because: Cause | None = None,
    ) -> None:
        self.note("wrote", row_id, key)
        super().wrote(board, key, value, row_id, part, because)


class _LoggedRow:
    def __init__(
        self, inner: RowLog, row_id: str, note: Callable[[str, str], None]
    ) -> None:
        self._inner, self._row_id, self._note = inner, row_id, note

    def entered(self) -> None:
        self._note("entered", self._row_id)
        self._inner.entered()

    def left(self, status: Status | None, cause: Cause | None) -> None:
        self._note("left", self._row_id)
        self._inner.left(status, cause)


class _LoggedRefusals:
    def __init__(
        self,
        inner: RefusalLog,
        row_id: str,
        part: str,
        note: Callable[[str, str, str], None],
    ) -> None:
        self._inner, self._row_id, self._part, self._note = (
            inner,
            row_id,
            part,
            note,
        )
        self.clock = inner.clock

    @property
    def until(self) -> int:
        """A refusal that is only extended is noted as well."""
        return self._inner.until

    @until.setter
    def until(self, tick: int) -> None:
        self._note("refused", self._row_id, self._part)
        self._inner.until = tick

    def __call__(self, cause: Cause, /) -> None:
        self._note("refused", self._row_id, self._part)
        self._inner(cause)


class FullLogTake(TakeWriter):
    """A take whose agents also keep a full log."""

    def __init__(self, path: Path, made: Project) -> None:
        super().__init__(path, header_of(made, made.scenarios[0]))
        self.log: list[Event] = []

    def agent(self, name: str) -> AgentWriter:
        if name not in self._agents:
            self._agents[name] = FullLogWriter(name, self, self.log)
        return self._agents[name]


def played_with_log(made: Project) -> tuple[Take, list[Event]]:
    """A take, and everything that its agents said while it was played."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "t.take"
        with FullLogTake(path, made) as writer:
            play = Play(made, made.scenarios[0], writer, CATALOG)
            for tick in range(made.scenarios[0].tick_count):
                play.tick(tick)
        return read_take(path), writer.log


def logged_as(step: TickStep) -> tuple[str, str, str] | None:
    """A step as the full log has it; None for what the log does not keep."""
    part = str(step.facts.get("part", ""))
    match step.kind:
        case StepKind.REFUSED | StepKind.UPKEEP:
            return step.kind.value, step.row_id, part
        case StepKind.CUT_OFF:
            return "refused", step.row_id, part
        case StepKind.ENTERED | StepKind.LEFT:
            return step.kind.value, step.row_id, ""
        case StepKind.WROTE:
            return "wrote", step.row_id, str(step.facts["key"])
    return None


def logged(log: list[Event], tick: int) -> list[tuple[str, str, str]]:
    """What the log has of a tick: what happened, and the row and part."""
    return [tuple(event[1:]) for event in log if event[0] == tick]  # type: ignore[misc]


@settings(max_examples=40, deadline=None)
@given(trees(kinds=IN_ORDER))
def test_the_steps_of_a_tree_are_all_that_it_did_in_that_order(
    rows: list[Row],
) -> None:
    take, log = played_with_log(project(*rows, seconds=1.2))
    report = TickReport(take, "a", CATALOG)
    for tick in range(take.ticks):
        steps = [
            found
            for step in report.steps(tick)
            if (found := logged_as(step)) is not None
        ]
        assert steps == logged(log, tick), tick


@settings(max_examples=40, deadline=None)
@given(trees())
def test_what_is_stored_of_any_behavior_comes_in_its_order_and_nothing_is_missing(
    rows: list[Row],
) -> None:
    take, log = played_with_log(project(*rows, seconds=1.2))
    report = TickReport(take, "a", CATALOG)
    transitions = {
        each.id
        for each in rows
        if CATALOG.kinds[each.kind].family is Family.TRANSITION
    }
    for tick in range(take.ticks):
        steps = report.steps(tick)
        seen = [
            each for each in logged(log, tick) if each[1] not in transitions
        ]
        found = [
            event
            for step in steps
            if step.row_id not in transitions
            and (event := logged_as(step)) is not None
        ]
        assert sorted(set(found)) == sorted(set(seen)), tick
        stored = [
            event
            for step in steps
            if step.step
            and step.row_id not in transitions
            and (event := logged_as(step)) is not None
        ]
        rest = iter(seen)
        assert all(event in rest for event in stored), (tick, stored, seen)


CHANGES = (
    row("top", "sequence"),
    row("one", "set_number", under="top", value=1.0, key=key("n")),
    row("two", "set_number", under="top", value=2.0, key=key("n")),
    row("wait", "wait", under="top", duration=9.0),
)
NUMBER = Key(name="n", type=KeyType.NUMBER, default=0.0)


def report_of(made: Project, agent: str = "a") -> TickReport:
    """The report on an agent of a take of a project."""
    take, _ = played_with_log(made)
    return TickReport(take, agent, CATALOG)


def lines(report: TickReport, tick: int) -> list[str]:
    """The sentences about a tick."""
    return [step.line.text for step in report.steps(tick)]


def test_a_key_that_changes_twice_within_a_tick_keeps_each_change() -> None:
    report = report_of(project(*CHANGES, keys=(NUMBER,)))
    wrote = [
        step
        for step in report.steps(0)
        if step.kind is StepKind.WROTE and step.row_id
    ]
    assert [(step.row_id, step.facts["value"]) for step in wrote] == [
        ("one", 1.0),
        ("two", 2.0),
    ]
    at = [report.key_at_step("n", 0, step.step) for step in wrote]
    assert [(tick, written.value) for tick, written in filter(None, at)] == [
        (0, 1.0),
        (0, 2.0),
    ]
    between = report.key_at_step("n", 0, wrote[0].step - 1)
    assert between is not None
    assert between[1].value == 0.0, "what it was at the start"
    assert report.key_at_step("n", 3, 0) == (0, report.record.keys["n"].at(3))


def test_a_shared_key_is_as_those_left_it_who_had_their_turn_before() -> None:
    shared = NUMBER.model_copy(update={"scope": Sharing.WORLD})
    rows = (
        row("top", "sequence"),
        row("wait", "wait", under="top", duration=0.3),
        row("set", "set_number", under="top", value=5.0, key=key("n")),
        row("rest", "wait", under="top", duration=9.0),
    )
    friend = Member(name="z", behavior="b", start=(5.0, 5.0))
    take, _ = played_with_log(
        project(*rows, keys=(shared,), seconds=1.0, cast=(friend,))
    )
    (write,) = [
        each for each in take.agents["a"].writes if each.row_id == "set"
    ]
    before = {
        name: TickReport(take, name, CATALOG).key_at_step("n", write.tick, 0)
        for name in ("a", "z")
    }
    assert before["a"] is not None
    assert before["a"][1].value == 0.0
    assert before["z"] is not None
    assert before["z"][1].value == 5.0, (
        "the first of the cast has had its turn"
    )


def test_cues_come_first_then_what_was_received() -> None:
    cues = (
        Cue(at_s=0.2, does=RaiseEvent(raises="bell")),
        Cue(at_s=0.2, does=SetKey(sets="n", value=4.0, of="a")),
        Cue(at_s=0.2, does=MoveTo(moves="a", to=(3.0, 3.0))),
    )
    report = report_of(
        project(row("ww", "wait", duration=9.0), keys=(NUMBER,), cues=cues)
    )
    assert lines(report, 2) == [
        "Cue 1 raises bell.",
        "Cue 2 sets n of a to 4.",
        "Cue 3 puts a at (3.0, 3.0).",
        "A cue sets n to 4.",
        "a receives bell.",
        "ww goes on: 8.8 s to go of 9 s.",
    ]


def test_a_guard_that_takes_over_is_shown_before_what_it_stops() -> None:
    rows = (
        row("top", "selector"),
        row(
            "hot",
            "wait",
            under="top",
            guard=("between(0.3, 0.6)", Watch.TAKE_OVER),
            duration=9.0,
        ),
        row("idle", "wait", under="top", duration=9.0),
    )
    report = report_of(project(*rows, seconds=1.0))
    kinds = [(step.kind, step.row_id) for step in report.steps(3)]
    assert kinds == [
        (StepKind.EVALUATED, "hot"),
        (StepKind.LEFT, "idle"),
        (StepKind.ENTERED, "hot"),
    ]
    assert [(step.kind, step.is_repeated) for step in report.steps(2)] == [
        (StepKind.REFUSED, True),
        (StepKind.RUNS, True),
    ]


def test_raised_events_name_the_row_that_raised_them() -> None:
    rows = (
        row("top", "sequence"),
        row("call", "raise_event", under="top", event="bell"),
    )
    report = report_of(
        project(*rows, row("ww", "wait", under="top", duration=9.0))
    )
    (raised,) = [
        step for step in report.steps(0) if step.kind is StepKind.RAISED
    ]
    assert (raised.row_id, raised.facts["event"]) == ("call", "bell")
    assert raised.line.text == "call raises bell."
    assert raised.plain()["text"] == "call raises bell."


def test_a_utility_is_said_to_score_only_at_ticks_at_which_it_decides() -> (
    None
):
    options = (
        row("aa", "option", "uu"),
        row("a1", "consider", "aa", input="0.5", high=1.0),
        row("ww", "last", "aa", ticks=99),
    )
    for every, decides in ((0.0, [0, 1, 2, 3, 4, 5, 6]), (0.3, [0, 3, 6])):
        report = report_of(
            project(row("uu", "utility", every=every), *options, seconds=0.7)
        )
        ticks = [
            tick
            for tick in range(7)
            if any(step.kind is StepKind.SCORED for step in report.steps(tick))
        ]
        assert ticks == decides
