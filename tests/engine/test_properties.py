"""What holds for every tree, whatever its rows do."""

from collections import Counter
from collections.abc import Callable

from hypothesis import given, settings

from tests.engine.by_row import ByRow
from tests.engine.reference import Node, Reference
from tests.engine.trees import GUARDS, IN_THE_REFERENCE, ONE_AT_A_TIME, trees
from tests.kinds import CATALOG
from tests.small import played, project
from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import Progress, RefusalLog, Status
from umbrant.engine.runner import CastContext, Runner
from umbrant.model.behaviors import Row
from umbrant.model.documents import Project
from umbrant.model.parts import ROW
from umbrant.stage.world import StageWorld


class Ledger(ByRow):
    """Checks, as it is told, that rows are entered and left in pairs."""

    def __init__(self) -> None:
        self.active: set[str] = set()
        self.times: dict[str, int] = {}

    def entered(self, row_id: str) -> None:
        assert row_id not in self.active, f"{row_id} was entered twice"
        self.active.add(row_id)
        self.times[row_id] = self.times.get(row_id, 0) + 1

    def left(
        self, row_id: str, status: Status | None, cause: Cause | None
    ) -> None:
        assert row_id in self.active, (
            f"{row_id} was left without being entered"
        )
        self.active.remove(row_id)
        self.times[row_id] -= 1

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        def reported(atom: int, found: AtomResult | None) -> None:
            assert atom >= 0

        return reported

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        def reported(progress: Progress) -> None:
            assert row_id in self.active

        return reported


class Silent:
    def said(self, name: str, text: str) -> None: ...
    def noticed(self, name: str, what: str, cause: Cause) -> None: ...


def run(made: Project, ticks: int) -> Ledger:
    ledger, scenario = Ledger(), made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    runner = Runner(
        CastContext(made, CATALOG, 1), scenario.cast[0], world, ledger
    )
    for tick in range(ticks):
        world.begin(tick)
        runner.tick()
        world.finish()
    return ledger


@settings(max_examples=80)
@given(trees())
def test_every_row_that_is_entered_is_left_exactly_once_and_no_row_runs_outside_its_parent(
    rows: list[Row],
) -> None:
    made = project(*rows)
    ledger = run(made, 12)
    outline = made.behaviors[0].outline
    kinds = {each.id: each.kind for each in rows}
    for row_id in ledger.active:
        above = outline.parent[row_id]
        assert above is None or above in ledger.active, (
            f"{kinds[row_id]} in {kinds[above]}"
        )
    for row_id, left_over in ledger.times.items():
        assert left_over == (row_id in ledger.active)


STEPS = {
    "cooldown": 2.0,
    "time_limit": 3.0,
    "repeat": 2.0,
    "retry": 2.0,
    "delay": 2.0,
}
"""The decorators of DECORATORS with their durations in ticks."""


def reference_of(rows: list[Row]) -> Reference:
    """The same tree for the reference interpreter."""
    nodes: dict[str, Node] = {}
    for each in rows:
        when = each.guard.when if each.guard else ""
        node = Node(
            each.id,
            each.kind,
            ticks=int(each.args.get("ticks", 0)),  # type: ignore[call-overload]
            success=bool(each.args.get("success", True)),
            restarts=each.args.get("resumes_at") == "the first",
            needed=int(each.args.get("successes", 0)),  # type: ignore[call-overload]
            borne=int(each.args.get("failures", 1)),  # type: ignore[call-overload]
            at_once=int(each.args.get("at_once", 0)),  # type: ignore[call-overload]
            guard=HOLDS[when] if when else None,
            watch=str(each.guard.watch) if each.guard else "on entry",
            decorators=[
                (wrapped.kind, STEPS.get(wrapped.kind, 0.0))
                for wrapped in each.decorators
            ],
        )
        nodes[each.id] = node
        if each.under:
            nodes[each.under].children.append(node)
    return Reference(nodes[rows[0].id])


HOLDS = {
    GUARDS[0]: lambda tick: 1 <= tick < 4,
    GUARDS[1]: lambda tick: tick < 3 or 5 <= tick < 7,
    GUARDS[2]: lambda tick: not 2 <= tick < 5,
    GUARDS[3]: lambda tick: 7 <= tick < 10,
}


class ReportLog:
    """Notes the ticks at which a refusal is told, or merely lasts."""

    def __init__(self, clock: "Diary") -> None:
        self.clock = clock
        self.ticks: set[int] = set()

    def __call__(self, reason: Cause, /) -> None:
        self.ticks.add(self.clock.tick)

    @property
    def until(self) -> int:
        return max(self.ticks)

    @until.setter
    def until(self, tick: int) -> None:
        self.ticks.add(tick)


class Diary(ByRow):
    """Notes what is entered, left and refused, tick by tick."""

    def __init__(self) -> None:
        self.tick = 0
        self.log: list[tuple[int, str, str]] = []
        self.refused: dict[tuple[str, str], ReportLog] = {}

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        return self.refused.setdefault((row_id, part), ReportLog(self))

    def entered(self, row_id: str) -> None:
        self.log.append((self.tick, row_id, "entered"))

    def left(
        self, row_id: str, status: Status | None, cause: Cause | None
    ) -> None:
        self.log.append(
            (
                self.tick,
                row_id,
                "stopped" if status is None else status.name.lower(),
            )
        )


@settings(max_examples=45, deadline=None)
@given(trees(kinds=IN_THE_REFERENCE, chance=False))
def test_random_trees_do_what_the_definitions_say(rows: list[Row]) -> None:
    made, diary, reference = project(*rows), Diary(), reference_of(rows)
    scenario = made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    runner = Runner(
        CastContext(made, CATALOG, 1), scenario.cast[0], world, diary
    )
    for tick in range(12):
        diary.tick = tick
        world.begin(tick)
        runner.tick()
        world.finish()
        reference.tick()
        assert diary.log == reference.log
    refused = {
        row_id: each.ticks
        for (row_id, part), each in diary.refused.items()
        if each.ticks and part == ROW
    }
    assert refused == reference.refused


@settings(max_examples=45)
@given(trees(kinds=ONE_AT_A_TIME))
def test_of_a_composites_children_at_most_one_is_active(
    rows: list[Row],
) -> None:
    made = project(*rows)
    for ticks in (3, 7, 12):
        ledger = run(made, ticks)
        for children in made.behaviors[0].outline.children.values():
            assert sum(child in ledger.active for child in children) <= 1


@settings(max_examples=45, deadline=None)
@given(trees())
def test_what_is_decided_is_the_same_whether_or_not_it_is_recorded(
    rows: list[Row],
) -> None:
    made, diary = project(*rows, seconds=1.2), Diary()
    scenario = made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    common = CastContext(made, CATALOG, scenario.seed)
    runner = Runner(common, scenario.cast[0], world, diary)
    for tick in range(scenario.tick_count):
        diary.tick = tick
        world.begin(tick)
        common.begin(world.now_s)
        runner.tick()
        world.finish()
    reported = Counter((row_id, what) for _, row_id, what in diary.log)
    recorded: Counter[tuple[str, str]] = Counter()
    refused: dict[tuple[str, str], set[int]] = {}
    for row_id, record in played(made).agents["a"].rows.items():
        for span in record.spans:
            recorded[row_id, "entered"] += 1
            if span.outcome is not None:
                recorded[row_id, span.outcome.value] += 1
        for part, refusals in record.refusals.items():
            refused[row_id, part] = {
                tick
                for each in refusals
                for tick in range(each.start, each.end + 1)
            }
    assert reported == recorded
    assert {
        place: each.ticks
        for place, each in diary.refused.items()
        if each.ticks
    } == refused
