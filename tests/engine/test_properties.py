"""What holds for every tree, whatever its rows do."""

from collections.abc import Sequence

from hypothesis import given, settings
from hypothesis import strategies as st

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

    def sensed(self, row_id: str, part: str, found: Sequence[Found | None]) -> None:
        assert len(found) >= 1

    def progress(self, row_id: str, progress: Progress) -> None:
        assert row_id in self.active


class Silent:
    def said(self, name: str, text: str) -> None: ...
    def noticed(self, name: str, what: str, cause: Cause) -> None: ...


@st.composite
def trees(draw: st.DrawFn) -> list[Row]:
    rows: list[Row] = []

    def grow(under: str | None, depth: int) -> None:
        row_id = f"r{len(rows)}x"
        leaf = depth >= 3 or draw(st.booleans())
        guard = draw(st.none() | st.tuples(st.sampled_from(GUARDS), st.sampled_from(list(Watch))))
        decorators = draw(st.lists(st.sampled_from(DECORATORS), max_size=2))
        if leaf and under is not None:
            ticks, success = draw(st.integers(0, 4)), draw(st.booleans())
            rows.append(row(row_id, "last", under, ticks=ticks, success=success, guard=guard, decorators=decorators))
            return
        kind = draw(st.sampled_from(["selector", "sequence"]))
        resumes = draw(st.sampled_from(["where it was", "the first"]))
        rows.append(row(row_id, kind, under, resumes_at=resumes, guard=guard, decorators=decorators))
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


@settings(max_examples=150)
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


@settings(max_examples=60)
@given(trees())
def test_of_a_composites_children_at_most_one_is_active(rows: list[Row]) -> None:
    made = project(*rows)
    ledger = run(made, 7)
    for children in made.behaviors[0].outline.children.values():
        assert sum(child in ledger.active for child in children) <= 1
