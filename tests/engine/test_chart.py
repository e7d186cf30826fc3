"""The rules of machines, clause by clause, and against the transcribed
algorithm on random machines.

Clauses are those of the SCXML Recommendation of 1 September 2015.
"""

from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.engine.scxml import Interpreter, S, T
from umbrant.engine.chart import Chart, Microstep, State, StateType, Transition

STATE_TYPES = {
    "state": StateType.STATE,
    "parallel": StateType.REGIONS,
    "final": StateType.FINAL,
    "history": StateType.HISTORY,
}


class Driven:
    """A chart with the events of its transitions, run as a machine runs it."""

    def __init__(self, root: S) -> None:
        self.events: dict[str, str | None] = {}
        self.byid: dict[str, State] = {}
        self.pairs: list[tuple[S, State]] = []
        self.chart = Chart(self._copy(root))
        for source, state in self.pairs:
            state.initial = (
                self.byid[source.initial] if source.initial else None
            )
            state.deep = source.deep
            for transition in source.transitions:
                self.events[transition.id] = transition.event
                targets = tuple(self.byid[each] for each in transition.targets)
                state.transitions.append(
                    Transition(
                        transition.id, state, targets, transition.internal
                    )
                )
        self.inside: list[str] = []
        self.log: list[tuple[str, str]] = []
        self.running = True

    def _copy(self, source: S) -> State:
        state = State(source.id, STATE_TYPES[source.kind])
        self.byid[source.id] = state
        self.pairs.append((source, state))
        for child in source.children:
            state.add(self._copy(child))
        return state

    @property
    def active(self) -> list[str]:
        return [
            state.id
            for state in self.chart.active
            if state is not self.chart.root
        ]

    def begin(self) -> None:
        self._note(self.chart.begin())
        self.settle()

    def send(self, event: str) -> None:
        if self.running:
            self._fire(
                self.chart.select(lambda each: self.events[each.id] == event)
            )
            self.settle()

    def settle(self) -> None:
        steps = 0
        while self.running and steps < 60:
            taken = self.chart.select(
                lambda each: self.events[each.id] is None
            )
            if not taken and not self.inside:
                return
            if not taken:
                done = self.inside.pop(0)
                taken = self.chart.select(
                    lambda each, event=done: self.events[each.id] == event
                )  # type: ignore[misc]
            if taken:
                steps += 1
                self._fire(taken)

    def _fire(self, taken: list[Transition]) -> None:
        if taken:
            self._note(self.chart.take(taken), [each.id for each in taken])

    def _note(self, step: Microstep, fired: list[str] | None = None) -> None:
        self.log.extend(("left", state.id) for state in step.left)
        self.log.extend(("fired", each) for each in fired or [])
        for state in step.entered:
            if state is self.chart.root:
                continue
            self.log.append(("entered", state.id))
        for state, _ in step.done:
            if state is self.chart.root:
                self.running = False
            else:
                self.inside.append(f"done.{state.id}")


def s(state_id: str, *children: S, kind: str = "state", **more: Any) -> S:
    made = S(state_id, kind, children=list(children), **more)
    for child in children:
        child.parent = made
    return made


def t(source: S, event: str | None, target: str | None, **more: Any) -> None:
    source.transitions.append(
        T(
            f"{source.id}:{len(source.transitions)}",
            source,
            event,
            target,
            **more,
        )
    )


def find(root: S, state_id: str) -> S:
    return next(each for each in _all(root) if each.id == state_id)


def _all(root: S) -> list[S]:
    return [root, *(inner for child in root.children for inner in _all(child))]


def run(root: S, *events: str) -> Driven:
    driven = Driven(root)
    driven.begin()
    for event in events:
        driven.send(event)
    return driven


def test_3_2_without_an_initial_state_the_first_in_document_order_is_entered() -> (
    None
):
    assert run(s("m", s("a"), s("b"))).active == ["a"]
    assert run(s("m", s("a"), s("b"), initial="b")).active == ["b"]


def test_3_3_of_a_compound_state_exactly_one_child_is_active() -> None:
    driven = run(s("m", s("a", s("a1"), s("a2"))))
    assert driven.active == ["a", "a1"]
    assert driven.log == [("entered", "a"), ("entered", "a1")]


def test_3_4_all_children_of_a_parallel_state_are_active() -> None:
    driven = run(
        s(
            "m",
            s(
                "p",
                s("l", s("l1")),
                s("r", s("r1"), s("r2"), initial="r2"),
                kind="parallel",
            ),
        )
    )
    assert driven.active == ["p", "l", "l1", "r", "r2"]


def test_3_13_inner_transitions_go_before_outer_ones() -> None:
    root = s("m", s("a", s("a1"), s("a2")), s("b"))
    t(find(root, "a"), "e", "b")
    t(find(root, "a1"), "e", "a2")
    assert run(root, "e").active == ["a", "a2"]
    assert run(root, "e", "e").active == ["b"]


def test_3_13_of_several_in_one_state_the_first_in_document_order_is_taken() -> (
    None
):
    root = s("m", s("a"), s("b"), s("c"))
    t(find(root, "a"), "e", "b")
    t(find(root, "a"), "e", "c")
    assert run(root, "e").active == ["b"]


def test_3_13_states_are_left_innermost_first_and_entered_outermost_first() -> (
    None
):
    root = s("m", s("a", s("a1", s("a11"))), s("b", s("b1")))
    t(find(root, "a11"), "e", "b1")
    assert run(root, "e").log[3:] == [
        ("left", "a11"),
        ("left", "a1"),
        ("left", "a"),
        ("fired", "a11:0"),
        ("entered", "b"),
        ("entered", "b1"),
    ]


def test_3_13_an_external_self_transition_leaves_and_enters_one_without_target_does_not() -> (
    None
):
    root = s("m", s("a", s("a1"), s("a2")))
    t(find(root, "a1"), "to2", "a2")
    t(find(root, "a"), "again", "a")
    t(find(root, "a"), "note", None)
    driven = run(root, "to2", "note")
    assert driven.active == ["a", "a2"]
    assert driven.log[-1] == ("fired", "a:1")
    driven.send("again")
    assert driven.active == ["a", "a1"]
    assert ("left", "a") in driven.log


def test_3_13_an_internal_transition_does_not_leave_its_source() -> None:
    root = s("m", s("a", s("a1"), s("a2")))
    t(find(root, "a"), "in", "a2", internal=True)
    driven = run(root, "in")
    assert driven.active == ["a", "a2"]
    assert ("left", "a") not in driven.log


def test_3_13_transitions_in_two_regions_are_taken_together_and_conflicts_go_to_the_first() -> (
    None
):
    def chart() -> S:
        return s(
            "m",
            s(
                "p",
                s("l", s("l1"), s("l2")),
                s("r", s("r1"), s("r2")),
                kind="parallel",
            ),
            s("out"),
        )

    together = chart()
    t(find(together, "l1"), "e", "l2")
    t(find(together, "r1"), "e", "r2")
    assert run(together, "e").active == ["p", "l", "l2", "r", "r2"]
    conflict = chart()
    t(find(conflict, "l1"), "e", "l2")
    t(find(conflict, "r1"), "e", "out")
    assert run(conflict, "e").active == ["p", "l", "l2", "r", "r1"]


def test_3_13_a_transition_from_a_descendant_preempts_one_from_further_out() -> (
    None
):
    root = s(
        "m",
        s("p", s("l", s("l1")), s("r", s("r1"), s("r2")), kind="parallel"),
        s("out"),
    )
    t(find(root, "p"), "e", "out")
    t(find(root, "r1"), "e", "r2")
    assert run(root, "e").active == ["p", "l", "l1", "r", "r2"]


def test_3_13_transitions_without_an_event_are_taken_until_none_is_left() -> (
    None
):
    root = s("m", s("a"), s("b"), s("c"))
    t(find(root, "a"), "e", "b")
    t(find(root, "b"), None, "c")
    assert run(root, "e").active == ["c"]


def test_3_7_a_final_child_means_done_and_at_the_top_the_end() -> None:
    root = s(
        "m",
        s("a", s("a1"), s("af", kind="final")),
        s("b"),
        s("f", kind="final"),
    )
    t(find(root, "a1"), "e", "af")
    t(find(root, "a"), "done.a", "b")
    t(find(root, "b"), "e", "f")
    driven = run(root, "e")
    assert driven.active == ["b"]
    assert driven.running
    driven.send("e")
    assert not driven.running


def test_3_7_a_parallel_state_is_done_when_all_of_its_regions_are() -> None:
    root = s(
        "m",
        s(
            "p",
            s("l", s("l1"), s("lf", kind="final")),
            s("r", s("r1"), s("rf", kind="final")),
            kind="parallel",
        ),
        s("b"),
    )
    t(find(root, "l1"), "x", "lf")
    t(find(root, "r1"), "y", "rf")
    t(find(root, "p"), "done.p", "b")
    driven = run(root, "x")
    assert "b" not in driven.active
    driven.send("y")
    assert driven.active == ["b"]


def test_3_7_regions_whose_final_states_are_entered_in_one_step_are_done_once() -> (
    None
):
    regions = s(
        "p",
        s("l", s("lf", kind="final")),
        s("r", s("rf", kind="final")),
        kind="parallel",
    )
    root = s("m", regions, s("b"))
    t(find(root, "p"), "done.p", None)
    driven = run(root)
    assert [entry for entry in driven.log if entry[0] == "fired"] == [
        ("fired", "p:0")
    ]


def history_chart(*, deep: bool) -> S:
    inner = s(
        "a",
        s("a1"),
        s("a2", s("x"), s("y")),
        s("h", kind="history", deep=deep),
    )
    root = s("m", inner, s("away"))
    t(find(root, "a1"), "in", "y")
    t(find(root, "a"), "off", "away")
    t(find(root, "away"), "back", "h")
    return root


def test_3_10_shallow_history_goes_back_to_the_child_and_deep_history_to_the_atomic_state() -> (
    None
):
    assert run(history_chart(deep=False), "in", "off", "back").active == [
        "a",
        "a2",
        "x",
    ]
    assert run(history_chart(deep=True), "in", "off", "back").active == [
        "a",
        "a2",
        "y",
    ]


def test_3_10_a_history_that_remembers_nothing_leads_where_it_is_told() -> (
    None
):
    root = s(
        "m",
        s("start"),
        s("a", s("a1"), s("a2"), s("h", kind="history", initial="a2")),
    )
    t(find(root, "start"), "e", "h")
    assert run(root, "e").active == ["a", "a2"]


def test_3_10_a_history_led_to_from_around_it_remembers_what_is_left_in_that_very_step() -> (
    None
):
    root = s("m", s("a", s("a1"), s("a2"), s("h", kind="history")))
    t(find(root, "a1"), "in", "a2")
    t(find(root, "a"), "again", "h")
    assert run(root, "in", "again").active == ["a", "a2"]


def test_3_10_an_internal_transition_to_a_history_around_it_enters_nothing_twice() -> (
    None
):
    root = s(
        "m",
        s(
            "p",
            s("r", s("a"), s("b")),
            s("h", kind="history", deep=True),
            kind="parallel",
        ),
        s("away"),
    )
    t(find(root, "p"), "off", "away")
    t(find(root, "away"), "back", "h")
    t(find(root, "r"), "again", "h", internal=True)
    driven = run(root, "off", "back", "again")
    assert driven.active == ["p", "r", "a"]
    assert driven.log[-3:] == [
        ("left", "a"),
        ("fired", "r:0"),
        ("entered", "a"),
    ]


EVENTS = ["e", "f", "g"]


@st.composite
def charts(draw: st.DrawFn) -> S:  # noqa: C901
    """A random chart of up to some twenty states, with random transitions."""
    made: list[S] = []

    def grow(depth: int, region: bool) -> S:
        state_id = f"s{len(made)}"
        kind = (
            "state"
            if depth == 0 or region
            else draw(st.sampled_from(["state", "state", "parallel", "final"]))
        )
        if depth >= 3:
            kind = (
                "state"
                if region
                else draw(st.sampled_from(["state", "final"]))
            )
        state = S(state_id, kind)
        made.append(state)
        least = {"state": 1 if depth == 0 else 0, "parallel": 1, "final": 0}[
            kind
        ]
        most = {"state": 3 if depth < 3 else 0, "parallel": 2, "final": 0}[
            kind
        ]
        for _ in range(
            draw(st.integers(least, max(least, most))) if depth < 3 else 0
        ):
            child = grow(depth + 1, kind == "parallel")
            child.parent = state
            state.children.append(child)
        if kind == "parallel" and not state.children:
            state.kind = "state"
        if state.children and draw(st.integers(0, 3)) == 0:
            history = S(
                f"h{len(made)}", "history", state, deep=draw(st.booleans())
            )
            made.append(history)
            state.children.append(history)
        return state

    root = grow(0, False)
    for state in made:
        proper = [child for child in state.children if child.kind != "history"]
        if state.kind == "state" and proper and draw(st.booleans()):
            state.initial = draw(
                st.sampled_from([child.id for child in state.children])
            )
    targets = [state.id for state in made if state is not root]
    for state in made:
        if state.kind in ("state", "parallel"):
            for _ in range(draw(st.integers(0, 2))):
                done = [
                    f"done.{each.id}"
                    for each in made
                    if each.children and each is not root
                ]
                event = draw(
                    st.sampled_from(
                        [*EVENTS, *EVENTS, *done, None]
                        if state is not root
                        else [*EVENTS]
                    )
                )
                target = draw(
                    st.sampled_from(
                        [*targets, *targets, None] if event else targets
                    )
                )
                others = _in_other_regions(root, target) if target else []
                also = (
                    draw(st.sampled_from([*others, None])) if others else None
                )
                t(
                    state,
                    event,
                    target,
                    internal=draw(st.booleans()),
                    also=also,
                )
    return root


def _in_other_regions(root: S, target: str) -> list[str]:
    """The states that a transition may lead to besides a target: those of the
    regions beside it.
    """
    region: S | None = find(root, target)
    found: list[str] = []
    while region is not None and region.parent is not None:
        if region.parent.kind == "parallel" and region.kind != "history":
            others = (
                each for each in region.parent.children if each is not region
            )
            found.extend(
                inner.id
                for other in others
                for inner in _all(other)
                if other.kind != "history"
            )
        region = region.parent
    return found


@settings(max_examples=100, deadline=None)
@given(charts(), st.lists(st.sampled_from(EVENTS), max_size=8))
def test_random_machines_do_what_the_transcribed_algorithm_does(
    root: S, events: list[str]
) -> None:
    reference = Interpreter(root)
    reference.interpret()
    driven = Driven(root)
    driven.begin()
    for event in events:
        reference.send(event)
        driven.send(event)
        assert driven.active == [
            each.id
            for each in sorted(
                reference.configuration, key=lambda each: each.order
            )
        ]
        assert driven.running == reference.running
    assert driven.log == reference.log


@settings(max_examples=60, deadline=None)
@given(charts(), st.lists(st.sampled_from(EVENTS), max_size=8))
def test_every_configuration_is_legal(root: S, events: list[str]) -> None:
    driven = run(root, *events)
    active = driven.chart.active
    assert active[0] is driven.chart.root
    for state in active:
        inside = [child for child in state.proper if child in active]
        if state.compound:
            assert len(inside) == 1
        elif state.type is StateType.REGIONS:
            assert inside == state.proper
        assert state.parent is None or state.parent in active
