"""What holds for every tree, whatever its rows do."""

from collections.abc import Callable

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.engine.reference import Node, Reference
from tests.kinds import CATALOG
from tests.small import project, row
from umbrant.catalog.causes import Cause
from umbrant.catalog.language.ask import Found
from umbrant.catalog.work import Progress, Status
from umbrant.engine.recorder import Unrecorded
from umbrant.engine.runner import Common, Runner
from umbrant.model.behaviors import Row, Watch
from umbrant.model.documents import Project
from umbrant.stage.world import StageWorld

GUARDS = ["between(0.1, 0.4)", "between(0, 0.3) or between(0.5, 0.7)", "not between(0.2, 0.5)"]
DECORATORS = [
    ("invert", {}),
    ("cooldown", {"duration": 0.2}),
    ("time_limit", {"limit": 0.3}),
    ("repeat", {"times": 2.0}),
    ("retry", {"times": 2.0}),
    ("delay", {"delay": 0.2}),
    ("chance", {"share": 0.5}),
    ("always_succeed", {}),
    ("always_fail", {}),
]


class Ledger(Unrecorded):
    """Checks, as it is told, that rows are entered and left in pairs."""

    def __init__(self) -> None:
        self.active: set[str] = set()
        self.times: dict[str, int] = {}

    def entered(self, row_id: str) -> None:
        assert row_id not in self.active, f"{row_id} was entered twice"
        self.active.add(row_id)
        self.times[row_id] = self.times.get(row_id, 0) + 1

    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None:
        assert row_id in self.active, f"{row_id} was left without being entered"
        self.active.remove(row_id)
        self.times[row_id] -= 1

    def sensed(self, row_id: str, part: str, atom: int, found: Found | None) -> None:
        assert atom >= 0

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        def told(progress: Progress) -> None:
            assert row_id in self.active

        return told


class Silent:
    def said(self, name: str, text: str) -> None: ...
    def noticed(self, name: str, what: str, cause: Cause) -> None: ...


@st.composite
def trees(draw: st.DrawFn, *, chance: bool = True, parallel: bool = True) -> list[Row]:
    rows: list[Row] = []
    wrapping = [each for each in DECORATORS if chance or each[0] != "chance"]
    kinds = ["selector", "sequence", *(["parallel"] if parallel else [])]

    def grow(under: str | None, depth: int) -> None:
        row_id = f"r{len(rows)}x"
        leaf = depth >= 3 or draw(st.booleans())
        guard = draw(st.none() | st.tuples(st.sampled_from(GUARDS), st.sampled_from(list(Watch))))
        decorators = draw(st.lists(st.sampled_from(wrapping), max_size=2, unique_by=lambda each: each[0]))
        if leaf and under is not None:
            ticks, success = draw(st.integers(0, 4)), draw(st.booleans())
            rows.append(row(row_id, "last", under, ticks=ticks, success=success, guard=guard, decorators=decorators))
            return
        kind = draw(st.sampled_from(kinds))
        setup: dict[str, object] = {"resumes_at": draw(st.sampled_from(["where it was", "the first"]))}
        if kind == "parallel":
            setup = {"successes": float(draw(st.integers(0, 2))), "failures": float(draw(st.integers(0, 2)))}
        rows.append(row(row_id, kind, under, guard=guard, decorators=decorators, **setup))
        for _ in range(draw(st.integers(1, 3))):
            grow(row_id, depth + 1)

    grow(None, 0)
    return rows


def run(made: Project, ticks: int) -> Ledger:
    ledger, scenario = Ledger(), made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    runner = Runner(Common(made, CATALOG, 1), scenario.cast[0], world, ledger)
    for tick in range(ticks):
        world.begin(tick)
        runner.tick()
        world.finish()
    return ledger


@settings(max_examples=80)
@given(trees())
def test_every_row_that_is_entered_is_left_exactly_once_and_no_row_runs_outside_its_parent(rows: list[Row]) -> None:
    made = project(*rows)
    ledger = run(made, 12)
    outline = made.behaviors[0].outline
    for row_id in ledger.active:
        above = outline.parent[row_id]
        assert above is None or above in ledger.active
    for row_id, left_over in ledger.times.items():
        assert left_over == (row_id in ledger.active)


STEPS = {"cooldown": 2.0, "time_limit": 3.0, "repeat": 2.0, "retry": 2.0, "delay": 2.0}
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
            guard=HOLDS[when] if when else None,
            watch=str(each.guard.watch) if each.guard else "on entry",
            decorators=[(wrapped.kind, STEPS.get(wrapped.kind, 0.0)) for wrapped in each.decorators],
        )
        nodes[each.id] = node
        if each.under:
            nodes[each.under].children.append(node)
    return Reference(nodes[rows[0].id])


HOLDS = {
    GUARDS[0]: lambda tick: 1 <= tick < 4,
    GUARDS[1]: lambda tick: tick < 3 or 5 <= tick < 7,
    GUARDS[2]: lambda tick: not 2 <= tick < 5,
}


class Diary(Unrecorded):
    """Notes what is entered and left, tick by tick."""

    def __init__(self) -> None:
        self.tick = 0
        self.log: list[tuple[int, str, str]] = []

    def entered(self, row_id: str) -> None:
        self.log.append((self.tick, row_id, "entered"))

    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None:
        self.log.append((self.tick, row_id, "stopped" if status is None else status.name.lower()))


@settings(max_examples=90, deadline=None)
@given(trees(chance=False))
def test_random_trees_do_what_the_definitions_say(rows: list[Row]) -> None:
    made, diary, reference = project(*rows), Diary(), reference_of(rows)
    scenario = made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    runner = Runner(Common(made, CATALOG, 1), scenario.cast[0], world, diary)
    for tick in range(12):
        diary.tick = tick
        world.begin(tick)
        runner.tick()
        world.finish()
        reference.tick()
        assert diary.log == reference.log


@settings(max_examples=60)
@given(trees(parallel=False))
def test_of_a_composites_children_at_most_one_is_active(rows: list[Row]) -> None:
    made = project(*rows)
    ledger = run(made, 7)
    for children in made.behaviors[0].outline.children.values():
        assert sum(child in ledger.active for child in children) <= 1
