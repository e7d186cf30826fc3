"""The whole cast in the window: machines, utilities, map, curve, rehearsing,
own nodes.
"""

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt

from tests.desk.conftest import Driver
from umbrant.catalog.templates.node_file import new_node_file
from umbrant.desk.views.curve.view import CurveView, dragged
from umbrant.desk.views.map.view import MapView
from umbrant.model.edits import Edit, rename_row
from umbrant.model.paths import put
from umbrant.model.values import Curve, Shape
from umbrant.take.record import RowState


def text_of(hands: Driver, row_id: str) -> str:
    place = hands.ledger.ledger.line_of(row_id)
    return str(hands.ledger.ledger.data(hands.ledger.ledger.index(place, 0)))


def now_of(hands: Driver, row_id: str) -> str:
    place = hands.ledger.ledger.line_of(row_id)
    return str(hands.ledger.ledger.data(hands.ledger.ledger.index(place, 1)))


def test_the_quay_reads_plays_and_answers(quay_driver: Driver) -> None:
    hands = quay_driver
    hands.desk.select_agent("brine")
    hands.desk.move_playhead(440)
    assert (
        text_of(hands, "tobark")
        == "1.1.2.2.2 transition Enough of that → Bark after 2.5 s ± 0.5"
    )
    assert text_of(hands, "thun").endswith(
        "→ Cower on event thunder from any state"
    )
    assert (now_of(hands, "watch"), now_of(hands, "bark")) == ("Bark", "0.6 s")
    assert "Bark was entered 0.60 s ago by Enough of that" in hands.reasons()
    hands.desk.select_agent("mila")
    assert text_of(hands, "left").endswith("0 to 20 logistic, flipped")
    assert now_of(hands, "eve") == "Sell"
    assert "customers near" in hands.reasons()
    hands.desk.select_agent("tam")
    assert text_of(hands, "tobench").startswith(
        "1.2.1 use behavior Go and sit go-and-stay"
    )
    assert hands.ledger.ledger.line_of("tobench/go") > 0, (
        "what it uses is shown inside it"
    )
    hands.desk.select_agent("gull_3")
    assert hands.desk.explainer is not None
    assert hands.desk.leading("gull_3") is not None
    _map(hands)
    for agent, machine in (
        ("gull_3", "gull"),
        ("brine", "watch"),
        ("tam", "job"),
    ):
        _labels_stand_apart(hands, agent, machine)
    _edit_inside(hands)


def _labels_stand_apart(hands: Driver, agent: str, machine: str) -> None:
    """What is written on the arrows of a machine covers neither each other nor
    a state; a click on it selects.
    """
    hands.desk.select_agent(agent)
    hands.desk.select_row(machine)
    hands.pane.actions_by_id["show_map"].trigger()
    chart = hands.pane.views.of(MapView)
    hands.until(chart.updatesEnabled)
    chart.repaint()
    assert chart.drawing is not None
    taken = [chart.box_rect(box) for box in chart.drawing.leaves()]
    assert len(chart.labels) >= 4
    for box in chart.labels.values():
        assert not any(box.intersects(other) for other in taken)
        assert chart.rect().contains(box.toAlignedRect())
        taken.append(box)
    row_id, box = next(iter(chart.labels.items()))
    hands.qtbot.mouseClick(
        chart, Qt.MouseButton.LeftButton, pos=box.center().toPoint()
    )
    assert hands.desk.row_id == row_id


def _edit_inside(hands: Driver) -> None:
    """A change inside a used behavior is made where that is written."""
    hands.desk.select_agent("tam")
    hands.desk.select_row("tobench/go")
    hands.pane.actions_by_id["mute"].trigger()
    assert hands.desk.project.behavior("go-and-stay").row("go").muted
    hands.pane.actions_by_id["undo"].trigger()
    assert not hands.desk.project.behavior("go-and-stay").row("go").muted


def _map(hands: Driver) -> None:
    """The map shows the machine, and clicking selects its rows."""
    hands.desk.select_agent("brine")
    hands.desk.select_row("doze")
    hands.desk.move_playhead(440)
    hands.pane.actions_by_id["show_map"].trigger()
    chart = hands.pane.views.of(MapView)
    hands.until(chart.updatesEnabled)
    chart.repaint()
    drawing = chart.drawing
    assert drawing is not None
    assert drawing.is_machine
    assert {box.row_id for top in drawing.boxes for box in top.all()} == {
        "awake",
        "doze",
        "circ",
        "bark",
        "back",
        "cower",
    }
    assert drawing.box("cower").from_any  # type: ignore[union-attr]
    bark = chart.box_rect(drawing.box("bark"))  # type: ignore[arg-type]
    hands.qtbot.mouseClick(
        chart, Qt.MouseButton.LeftButton, pos=bark.center().toPoint()
    )
    assert hands.desk.row_id == "bark"
    hands.qtbot.keyClick(chart, Qt.Key.Key_Left)
    assert hands.desk.row_id == "circ"
    assert chart._state("bark") is RowState.RUNNING
    assert chart._fired_last(drawing) == {"tobark"}
    boxes = [
        chart.box_rect(box)
        for top in drawing.boxes
        for box in top.all()
        if not box.inside
    ]
    assert not any(
        one.intersects(other)
        for n, one in enumerate(boxes)
        for other in boxes[n + 1 :]
    )
    hands.desk.select_agent("odo")
    hands.until(chart.updatesEnabled)
    chart.repaint()
    assert chart.drawing is not None
    assert not chart.drawing.is_machine
    # Rows that have no room are folded away, and counted.
    shown = len(chart.drawing.boxes)
    assert shown < len(hands.desk.behavior.rows)  # type: ignore[union-attr]
    assert any(box.folded for box in chart.drawing.boxes)


def test_dragging_a_curve_rolls_again(quay_driver: Driver) -> None:
    hands = quay_driver
    hands.desk.select_agent("mila")
    hands.desk.select_row("left")
    hands.pane.actions_by_id["show_curve"].trigger()
    curve = hands.pane.views.of(CurveView)
    considered, behavior = curve.row, hands.desk.behavior
    assert considered is not None
    assert behavior is not None
    for above in ("option", "utility"):
        hands.desk.select_row(
            next(each.id for each in behavior.rows if each.kind == above)
        )
        assert curve.row is not None
        assert curve.row.kind == "consider", (
            f"of {above} the first one is shown"
        )
    hands.desk.select_row(considered.id)
    row = curve.row
    assert row is not None
    counts = curve.counts(row)
    assert counts is not None
    assert counts.sum() == 840
    grip = next(each for each in curve.grips(row) if each.name == "middle")
    at = curve.to_pixels(grip.at)
    before = hands.desk.takes.current
    hands.qtbot.mousePress(curve, Qt.MouseButton.LeftButton, pos=at.toPoint())
    hands.qtbot.mouseMove(curve, (at + QPointF(60, 0)).toPoint())
    hands.qtbot.mouseRelease(
        curve, Qt.MouseButton.LeftButton, pos=(at + QPointF(60, 0)).toPoint()
    )
    after = curve.curve(curve.row)  # type: ignore[arg-type]
    assert after.middle > 0.3
    hands.until(
        lambda: (
            hands.desk.takes.current is not before and hands.desk.is_current
        )
    )
    assert hands.desk.documents.history.undo_name == "Change the curve"
    hands.qtbot.keyClick(curve, Qt.Key.Key_Left)
    assert curve.curve(curve.row).middle < after.middle  # type: ignore[arg-type]


def test_every_grip_of_a_curve_changes_what_it_is_called() -> None:
    span = (0.0, 20.0)
    assert (
        dragged(Curve(shape=Shape.LINEAR), "low", (0.0, 0.3), span).low == 0.3
    )
    assert (
        dragged(
            Curve(shape=Shape.LINEAR, flipped=True), "high", (1.0, 0.3), span
        ).high
        == 0.7
    )
    assert (
        dragged(
            Curve(shape=Shape.STEP), "threshold", (0.25, 0.5), span
        ).threshold
        == 5.0
    )
    assert (
        dragged(Curve(shape=Shape.BELL), "width", (0.9, 0.5), span).width
        == 0.4
    )
    assert (
        dragged(
            Curve(shape=Shape.POWER), "exponent", (0.5, 0.25), span
        ).exponent
        == 2.0
    )
    points = Curve(shape=Shape.POINTS, points=((0.0, 0.0), (1.0, 1.0)))
    assert dragged(points, "point 1", (0.8, 0.4), span).points[1] == (0.8, 0.4)
    steep = dragged(
        Curve(shape=Shape.LOGISTIC), "steepness", (0.65, 0.9), span
    )
    assert 14 < steep.steepness < 15


def test_another_scenario_can_be_played(demo_driver: Driver) -> None:
    hands = demo_driver
    before = hands.desk.takes.current
    hands.desk.select_scenario("forty-gulls")
    assert hands.pane.top.scenario.text() == "Forty gulls ▾"
    hands.until(
        lambda: (
            hands.desk.takes.current is not before and hands.desk.is_current
        )
    )
    assert hands.desk.take is not None
    assert len(hands.desk.take.agents) == 42
    assert hands.pane.lanes.sizeHint().height() < 80, (
        "forty gulls share a lane"
    )


def test_a_rehearsal_is_steered_by_hand_and_repeated_by_the_next_take(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    stage, rehearsing = hands.pane.stage, hands.pane.rehearsing
    rehearse = hands.pane.actions_by_id["rehearse"]
    rehearse.trigger()
    assert rehearsing.active
    assert rehearse.text() == "End rehearsal"
    assert hands.pane.right.heading().startswith("arrows · E event")
    hands.until(lambda: rehearsing.frame is not None)
    hands.qtbot.keyPress(stage, Qt.Key.Key_Left)
    hands.until(
        lambda: rehearsing.frame is not None and rehearsing.frame.tick >= 12
    )
    hands.qtbot.keyRelease(stage, Qt.Key.Key_Left)
    live = rehearsing.frame
    assert live is not None
    assert live.poses["visitor"][0] < 30.7
    hands.qtbot.keyClick(stage, Qt.Key.Key_E)
    assert stage.steering is not None
    assert stage.steering.menu is not None
    next(
        each
        for each in stage.steering.menu.actions()
        if each.text() == "alarm.bell"
    ).trigger()
    stage.steering.menu.close()
    rehearsing.drop("fish")
    then = live.tick
    hands.until(
        lambda: (
            rehearsing.frame is not None and rehearsing.frame.tick >= then + 4
        )
    )
    before = hands.desk.takes.current
    hands.qtbot.keyClick(stage, Qt.Key.Key_Escape)
    hands.until(
        lambda: (
            hands.desk.takes.current is not before and hands.desk.is_current
        )
    )
    assert not rehearsing.active
    assert rehearse.text() == "Rehearse"
    scenario = hands.desk.project.scenario("dusk")
    by_hand = [cue for cue in scenario.cues if cue.by_hand]
    assert len(by_hand) == 2
    assert hands.desk.documents.history.undo_name == "Rehearse"
    assert hands.desk.take is not None
    repeated = hands.desk.take.poses["visitor"][live.tick]
    assert repeated.tolist() == list(live.poses["visitor"])
    assert any(
        each.event == "alarm.bell"
        for each in hands.desk.take.agents["odo"].received
    )


def test_all_views_follow_a_rehearsal_once_a_second(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    rehearsing, desk = hands.pane.rehearsing, hands.desk
    before = desk.take
    hands.pane.actions_by_id["rehearse"].trigger()
    hands.until(lambda: desk.take is not before)
    live = desk.take
    assert live.ticks >= 20
    assert not live.is_complete
    assert desk.playhead == live.last_tick
    hands.until(lambda: "Odo is at" in hands.reasons())
    assert len(desk.takes.kept) == 1
    assert not any("not whole" in each for each in hands.messages)
    hands.until(lambda: desk.take.ticks > live.ticks)
    rehearsing.finish()
    hands.until(
        lambda: not rehearsing.active and desk.takes.current.number == 2
    )
    assert desk.take.is_complete
    # It is held against the take before the rehearsal, not against what was
    # played so far.
    assert desk.takes.current.against == "Take 1"


def test_a_hand_takes_over_at_the_playhead_and_that_is_a_branch(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    desk, stage, rehearsing = (
        hands.desk,
        hands.pane.stage,
        hands.pane.rehearsing,
    )
    parent, project = desk.take, desk.project
    desk.move_playhead(360)
    hands.pane.actions_by_id["by_hand"].trigger()
    assert rehearsing.active
    assert rehearsing.puppet.name == "visitor"
    hands.until(lambda: rehearsing.frame is not None)
    assert rehearsing.frame.tick >= 360, (
        "what was before is not played again before one's eyes"
    )
    hands.qtbot.keyPress(stage, Qt.Key.Key_Right)
    hands.until(lambda: rehearsing.frame.tick >= 375)
    hands.qtbot.keyRelease(stage, Qt.Key.Key_Right)
    hands.pane.actions_by_id["by_hand"].trigger()
    hands.until(lambda: not rehearsing.active and desk.branched_at is not None)
    branch = desk.take
    assert desk.branched_at == 360
    assert "the visitor by hand" in desk.takes.current.label
    assert desk.project is project, "the project stays as it is"
    assert (
        branch.poses["visitor"][:361] == parent.poses["visitor"][:361]
    ).all()
    assert (branch.poses["visitor"][380] != parent.poses["visitor"][380]).any()
    # It is kept as any branch is.
    hands.pane.actions_by_id["keep_as_scenario"].trigger()
    kept = desk.project.scenarios[-1]
    assert kept.member("visitor").steps[0].tick == 360
    desk.takes.show(1)
    desk.move_playhead(10_000)
    hands.pane.actions_by_id["by_hand"].trigger()
    assert hands.messages[-1].startswith("The take ends here.")
    assert not rehearsing.active


def test_a_rehearsal_can_be_steered_with_the_mouse(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    stage, rehearsing = hands.pane.stage, hands.pane.rehearsing
    hands.pane.actions_by_id["rehearse"].trigger()
    hands.until(lambda: rehearsing.frame is not None)
    hands.qtbot.mousePress(
        stage,
        Qt.MouseButton.LeftButton,
        pos=stage.to_pixels((20, 8)).toPoint(),
    )
    hands.until(
        lambda: (
            rehearsing.frame is not None
            and rehearsing.frame.poses["visitor"][0] < 30.0
        )
    )
    hands.qtbot.mouseRelease(
        stage, Qt.MouseButton.LeftButton, pos=QPoint(5, 5)
    )
    rehearsing.finish()
    hands.until(lambda: not rehearsing.active)


OWN = '''
from umbrant.nodes import *

@action("hum {tune}")
def hum(me: Agent, tune: str):
    """Hums a tune.

    tune: what to hum
    """
    yield
    me.world.say(me.body.name, tune)
    return True
'''


def test_own_nodes_are_asked_about_offered_run_and_picked_up_when_changed(
    driver: Driver, demo: Path
) -> None:
    hands = driver
    (demo / "nodes").mkdir()
    (demo / "nodes" / "hum.py").write_text(OWN)
    cast = json.loads((demo / "scenarios" / "dusk.json").read_text())
    cast["cast"] = cast["cast"][:2]
    (demo / "scenarios" / "dusk.json").write_text(json.dumps(cast))
    hands.answers.trusting = True
    assert hands.open(demo)
    assert hands.answers.messages[-1] == "nodes/hum.py"
    assert not hands.desk.documents.needs_trust
    hands.desk.select_row("easy")
    hands.key(Qt.Key.Key_Return)
    hands.qtbot.keyClicks(hands.ledger.search.line, "hum")
    offer = hands.ledger.search.offer_at(0)
    assert offer is not None
    assert (offer.kind.id, offer.kind.own) == ("hum", "nodes/hum.py")
    hands.qtbot.keyClick(hands.ledger.search.line, Qt.Key.Key_Escape)
    (demo / "nodes" / "hum.py").write_text(
        OWN.replace("Hums a tune", "Hums softly")
    )
    hands.answers.trusting = False
    before = len(hands.answers.messages)
    for _ in range(2):
        hands.pane.actions_by_id["new_take"].trigger()
        assert hands.desk.documents.needs_trust, (
            "another content is before about anew"
        )
    assert len(hands.answers.messages) == before + 1, (
        "a no is not before about again"
    )
    assert hands.desk.catalog.kinds["hum"].help.startswith("Hums softly")
    hands.answers.trusting = True
    hands.pane.actions_by_id["trust"].trigger()
    assert not hands.desk.documents.needs_trust
    assert not hands.desk.documents.history.unsaved


def test_a_node_of_ones_own_is_written_found_run_and_what_is_wrong_stands_at_its_row(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    folder = hands.desk.documents.folder
    assert folder is not None
    hands.answers.texts = ["Ring the bell!"]
    hands.pane.actions_by_id["new_node"].trigger()
    path = folder / "nodes" / "ring_the_bell.py"
    assert hands.answers.edited == [path]
    assert not hands.desk.documents.needs_trust, (
        "what we wrote ourselves needs no trust"
    )
    hands.select("1.1.1")
    hands.key(Qt.Key.Key_Return)
    hands.type("ring the bell 0.5")
    hands.key(Qt.Key.Key_Return)
    hands.settle()
    row = hands.desk.row
    assert row.kind == "ring_the_bell"
    assert hands.desk.documents.problems == []
    text = path.read_text()
    path.write_text(
        text.replace(
            "    me.world.say", '    return failure("the rope is wet")\n    me'
        )
    )
    hands.answers.trusting = True
    hands.pane.actions_by_id["new_take"].trigger()
    hands.settle()
    assert hands.answers.messages[-1] == "nodes/ring_the_bell.py"
    refused = hands.desk.take.agents["odo"].row(row.id).spans[0]
    assert (refused.cause.kind, dict(refused.cause.facts)) == (
        "said",
        {"text": "the rope is wet"},
    )
    path.write_text("def ring_the_bell(:\n")
    hands.pane.actions_by_id["new_take"].trigger()
    said = [
        str(each)
        for each in hands.desk.documents.problems_of("warden", row.id)
    ]
    assert any("nodes/ring_the_bell.py, line 1:" in each for each in said)


def test_a_new_node_never_has_others_trusted_and_never_takes_a_files_place(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    documents = hands.desk.documents
    assert documents.folder is not None
    nodes = documents.folder / "nodes"
    nodes.mkdir()
    # Another program puts a file there, and the window has not read it yet.
    (nodes / "hum.py").write_text(OWN)
    hands.answers.texts = ["Ring the bell"]
    hands.pane.actions_by_id["new_node"].trigger()
    assert (nodes / "ring_the_bell.py").exists()
    assert documents.needs_trust, "what nobody trusted is not trusted with it"
    hidden = nodes / "sing.py"
    hidden.write_text("mine")
    with pytest.raises(FileExistsError):
        documents.add_node_file(new_node_file("Sing", [], []))
    assert hidden.read_text() == "mine"


def test_a_scenario_that_cannot_be_played_is_not_rehearsed_and_the_reason_is_told(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.apply(
        Edit(
            "Go nowhere",
            lambda project: put(
                project, ("scenarios", "dusk", "stage"), "nowhere"
            ),
        )
    )
    hands.messages.clear()
    hands.pane.actions_by_id["rehearse"].trigger()
    assert not hands.pane.rehearsing.active
    assert hands.messages == [
        "scenarios/dusk.json: there is no stage 'nowhere'. There are: quay. Add a stage."
    ]


def test_an_edit_ends_a_rehearsal_and_leaves_no_file_of_it(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    rehearsing = hands.pane.rehearsing
    hands.pane.actions_by_id["rehearse"].trigger()
    hands.until(lambda: rehearsing.frame is not None)
    hands.desk.apply(
        Edit(
            "Run",
            lambda project: rename_row(project, "warden", "go", "Run there"),
        )
    )
    assert not rehearsing.active
    assert "The rehearsal has ended" in hands.messages[-1]
    hands.settle()
    files = sorted(each.name for each in hands.desk.take.path.parent.iterdir())
    assert files == sorted(
        each.loaded.take.path.name for each in hands.desk.takes.kept
    )
