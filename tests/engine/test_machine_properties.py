"""Machines of live rows, with their conditions and events, against the
transcribed algorithm.
"""

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.engine.by_row import ByRow
from tests.engine.scxml import MOST, Interpreter, S, T
from tests.engine.test_chart import EVENTS, charts
from tests.engine.test_properties import GUARDS, HOLDS, Silent
from tests.kinds import CATALOG
from tests.small import RATE, project, row
from umbrant.catalog.causes import Cause
from umbrant.catalog.protocols import Status
from umbrant.engine.runner import CastContext, Runner
from umbrant.model.behaviors import Row
from umbrant.stage.world import StageWorld

TICKS = 9
KINDS = {
    "state": "state",
    "parallel": "regions",
    "final": "final",
    "history": "history",
}


class Steps(ByRow):
    """Notes what a machine leaves, fires and enters, and that every row is
    entered and left in turn.
    """

    def __init__(self) -> None:
        self.log: list[tuple[str, str]] = []
        self.active: set[str] = set()

    def entered(self, row_id: str) -> None:
        assert row_id not in self.active, f"{row_id} was entered twice"
        self.active.add(row_id)
        if row_id.startswith("s"):
            self.log.append(("fired" if "t" in row_id else "entered", row_id))

    def left(
        self, row_id: str, status: Status | None, cause: Cause | None
    ) -> None:
        self.active.remove(row_id)
        if row_id.startswith("s") and "t" not in row_id:
            self.log.append(("left", row_id))


def rows_of(root: S) -> list[Row]:
    """The rows of a chart. In each state that holds none there is a row that
    runs for ever.
    """
    rows = [row("s0", "machine", initial=root.initial or "")]

    def grow(state: S) -> None:
        rows.extend(row_of(each) for each in state.transitions)
        if state.kind == "state" and not state.children:
            rows.append(row(f"x{state.id}", "last", state.id, ticks=1000.0))
        for child in state.children:
            args: dict[str, object] = (
                {"initial": child.initial}
                if child.kind == "state" and child.initial
                else {}
            )
            if child.kind == "history":
                args = {"depth": "deep" if child.deep else "shallow"}
            rows.append(row(child.id, KINDS[child.kind], state.id, **args))
            grow(child)

    grow(root)
    return rows


def row_of(transition: T) -> Row:
    """A transition as a row."""
    args: dict[str, object] = {}
    if transition.target:
        args["to"] = transition.target
        args["also"] = transition.also or ""
    if transition.internal:
        args["kind"] = "internal"
    event = transition.event
    if event is None:
        kind, args["when"] = "when", transition.cond or "clock() >= 0"
    elif event == f"done.{transition.source.id}":
        kind = "on_done"
    elif event.startswith("done."):
        kind, args["event"] = "on_event", event.replace("done.", "done.state.")
    else:
        kind, args["event"] = "on_event", event
        if transition.cond:
            args["when"] = transition.cond
    made = row(transition.id.replace(":", "t"), kind, transition.source.id)
    return made.model_copy(update={"args": args})


def transitions(state: S) -> list[T]:
    return [
        *state.transitions,
        *(each for child in state.children for each in transitions(child)),
    ]


@settings(max_examples=60, deadline=None)
@given(charts(), st.data())
def test_machines_of_rows_do_what_the_transcribed_algorithm_does(
    root: S, data: st.DataObject
) -> None:
    for each in transitions(root):
        if each.event is not None and each.event not in EVENTS:
            each.internal = False
        else:
            each.cond = data.draw(st.sampled_from(["", *GUARDS]))
    heard = data.draw(
        st.lists(
            st.lists(st.sampled_from(EVENTS), max_size=2),
            min_size=TICKS,
            max_size=TICKS,
        )
    )
    made, steps, reference = (
        project(*rows_of(root)),
        Steps(),
        Interpreter(root),
    )
    scenario = made.scenarios[0]
    world = StageWorld(made.stages[0], scenario, Silent())
    common = CastContext(made, CATALOG, 1)
    runner = Runner(common, scenario.cast[0], world, steps)
    for tick in range(TICKS):
        reference.conditionMatch = lambda each, now=tick: (
            not each.cond or HOLDS[each.cond](now)
        )  # type: ignore[misc]
        most = [reference.interpret() if tick == 0 else reference.macrostep()]
        most.extend(reference.send(event) for event in heard[tick])
        assume(sum(most) < MOST)
        for event in heard[tick]:
            common.raise_event(event, "a", tick / RATE)
        world.begin(tick)
        common.begin(world.now_s)
        runner.tick()
        world.finish()
        assert steps.log == [
            (what, row_id.replace(":", "t"))
            for what, row_id in ended(reference)
        ]
        if not reference.running:
            break
        active = {state.id for state in reference.configuration}
        running = {
            f"x{state.id}"
            for state in reference.configuration
            if state.kind == "state" and not state.children
        }
        assert steps.active == {"s0"} | active | running


def ended(reference: Interpreter) -> list[tuple[str, str]]:
    """What the reference has done. At the end our machine leaves what is
    active; the algorithm does so afterwards.
    """
    total = [("entered", "s0"), *reference.log]
    if reference.running:
        return total
    inner = sorted(reference.configuration, key=lambda each: -each.order)
    return [*total, *(("left", each.id) for each in inner), ("left", "s0")]
