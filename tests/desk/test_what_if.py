"""Branches, comparisons and nearest changes by keyboard alone, through the
real window.
"""

import os
import signal
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Driver, with_cast
from umbrant.branching.branch import branch_actions
from umbrant.desk.session.branches import do_nearest
from umbrant.desk.views.blackboard import BlackboardView
from umbrant.desk.views.curve.view import CurveView
from umbrant.desk.views.lanes.painting import lanes_of
from umbrant.desk.views.reasons import ReasonsView
from umbrant.desk.views.stage.look import look_of
from umbrant.model.staging import HeldResult, HoldResult, RaiseEvent, SetKey
from umbrant.nearest.places import DoneAtTick
from umbrant.nearest.search import NearestChange, Rearranged
from umbrant.reasons.score_report import with_other_scores
from umbrant.reasons.sentences import Tone
from umbrant.take.record import RowState

SHIFT, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier
SEEN = 206
"""The tick at which the warden begins to escort the visitor."""
GAVE_UP = 718


def outlines(hands: Driver) -> tuple[object, ...]:
    """What the stage shows of the other take."""
    scenario = hands.desk.scenario
    return look_of(
        hands.pane.stage, hands.desk.project.stage(scenario.stage), scenario
    ).outlines


def branch(hands: Driver, text: str) -> None:
    """Say what is done from the playhead on, and wait for the branch."""
    kept = len(hands.desk.takes.kept)
    hands.key(Qt.Key.Key_B)
    hands.type(text)
    hands.until(
        lambda: len(hands.desk.takes.kept) > kept and not hands.desk.takes.busy
    )


def test_a_branch_plays_on_from_the_playhead_and_is_listed_under_its_parent(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(198)
    branch(hands, "hold 1.1 at refused")
    current = hands.desk.takes.current
    assert current.label == "Take 2 ↱ 9.90 s · hold 1.1 at refused"
    assert (current.parent, hands.desk.branched_at) == (1, 198)
    assert hands.desk.playhead == 198
    assert hands.desk.is_current  # the project is as it was
    assert (
        hands.desk.explainer.record.row("esc").state_at(SEEN)
        is RowState.REFUSED
    )
    # A branch of the branch, and then the tree of takes.
    hands.desk.move_playhead(400)
    branch(hands, "alarm = 0.8")
    assert [
        (depth, each.number) for depth, each in hands.desk.takes.tree()
    ] == [
        (0, 1),
        (1, 2),
        (2, 3),
    ]
    assert hands.desk.explainer.record.keys["alarm"].at(400).value == 0.8
    hands.pane.actions_by_id["drop_take"].trigger()
    assert hands.desk.takes.current.number == 2
    assert len(hands.desk.takes.kept) == 2


def test_the_line_completes_and_says_what_is_wrong(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.key(Qt.Key.Key_B)
    popup = hands.pane.finder.branches
    assert popup.isVisible()
    hands.qtbot.keyClicks(popup.line, "alarm = 7")
    assert "alarm cannot be 7: it goes from 0 up to 1." in popup.help.text()
    hands.qtbot.keyClick(popup.line, Qt.Key.Key_Return)
    assert popup.isVisible()  # nothing was chosen
    popup.line.clear()
    hands.qtbot.keyClicks(popup.line, "alar")
    hands.qtbot.keyClick(popup.line, Qt.Key.Key_Return)
    assert popup.line.text() == "alarm = "
    hands.qtbot.keyClick(popup.line, Qt.Key.Key_Escape)
    assert not popup.isVisible()
    assert QApplication.focusWidget() is hands.ledger
    assert len(hands.desk.takes.kept) == 1


def test_a_branch_is_kept_as_a_scenario_that_repeats_it(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(198)
    branch(hands, "hold 1.1 at refused; alarm = 0.5")
    before = hands.desk.take
    hands.pane.actions_by_id["keep_as_scenario"].trigger()
    hands.settle()
    kept = hands.desk.project.scenario("dusk-what-if")
    assert [cue.does for cue in kept.cues[-2:]] == [
        HoldResult(holds="esc", of="odo", result=HeldResult.REFUSED),
        SetKey(sets="alarm", value=0.5),
    ]
    assert hands.desk.documents.problems == []
    count = hands.desk.take_number
    hands.desk.select_scenario("dusk-what-if")
    hands.until(
        lambda: hands.desk.take_number > count and hands.desk.is_current
    )
    record = hands.desk.take.agents["odo"]
    assert record.row("esc").spans == before.agents["odo"].row("esc").spans


def test_two_takes_are_shown_in_one_place_and_n_goes_to_what_differs(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(198)
    branch(hands, "hold 1.1 at refused")
    alone = hands.ledger.grab().toImage()
    assert hands.desk.compared is None
    hands.key(Qt.Key.Key_D)
    hands.until(lambda: hands.desk.compared is not None)
    assert hands.pane.top.state.text() == "over Take 1"
    assert hands.ledger.grab().toImage() != alone
    assert hands.desk.other_take is hands.desk.takes.kept[0].loaded.take
    hands.key(Qt.Key.Key_N)
    assert hands.desk.playhead == SEEN
    lanes = lanes_of(
        hands.pane.lanes.rows(), "odo", hands.desk.compared, compares=True
    )
    assert len(lanes[0].stripes) == 2
    assert lanes[0].apart[0].start == SEEN
    assert lanes[0].stripes[0] != lanes[0].stripes[1]
    # What is elsewhere is drawn twice on the stage, and a key that differs is
    # shown with both.
    hands.desk.move_playhead(500)
    assert outlines(hands)
    board = hands.pane.views.of(BlackboardView).board
    shown = {each.name: board.text(each, 1) for each in board.keys}
    assert any(" | " in text for text in shown.values())
    hands.key(Qt.Key.Key_D)
    assert hands.desk.compared is None
    assert outlines(hands) == ()


def test_scores_and_curves_are_shown_of_both_takes(
    quay_driver: Driver,
) -> None:
    hands, desk = quay_driver, quay_driver.desk
    desk.select_agent("mila")
    desk.move_playhead(40)
    branch(hands, "stock = 1")
    desk.move_playhead(60)
    desk.select_row("eve")
    reasons, curve = (
        hands.pane.views.of(ReasonsView),
        hands.pane.views.of(CurveView),
    )
    hands.key(Qt.Key.Key_W)
    assert reasons.answer.table.columns == (
        "option",
        "input",
        "score",
        "share",
    )
    hands.key(Qt.Key.Key_D)
    hands.until(lambda: desk.compared is not None)
    hands.key(Qt.Key.Key_W)
    table = reasons.answer.table
    assert table.columns[-1] == "in the other"
    explainer, other = desk.explainer, desk.other_explainer
    seen = 0
    for row in table.rows:
        row_id = row[0].row_id
        if explainer.behavior.row(row_id).kind != "option" or row[
            0
        ].text.startswith(" "):
            continue
        here, there = (
            each.record.row(row_id).gauge_at(60) for each in (explainer, other)
        )
        assert row[2].text.split(" ")[0] == f"{here.value:.2f}"
        assert row[-1].text.split(" ")[0] == f"{there.value:.2f}"
        assert (row[-1].tone is Tone.NO) == (row[-1].text != row[2].text)
        seen += row[-1].tone is Tone.NO
    assert seen > 0
    considered = next(
        each
        for each in explainer.behavior.rows
        if each.kind == "consider"
        and explainer.record.row(each.id).gauge_at(60).of
        != other.record.row(each.id).gauge_at(60).of
    )
    desk.select_row(considered.id)
    look = curve.look(considered)
    assert look.now is not None
    assert look.other is not None
    assert look.now != look.other
    assert look.other[0] == other.record.row(considered.id).gauge_at(60).of
    hands.pane.actions_by_id["show_curve"].trigger()
    assert not curve.grab().isNull()
    hands.key(Qt.Key.Key_D)
    assert curve.look(considered).other is None
    assert (
        with_other_scores(reasons.answer.table, None).rows[0][-1].text == "–"
    )


def test_reasons_say_where_two_takes_part(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.desk.move_playhead(198)
    branch(hands, "hold 1.1 at refused")
    hands.key(Qt.Key.Key_D, SHIFT)
    hands.until(lambda: hands.desk.compared is not None)
    assert hands.desk.playhead == SEEN
    said = hands.reasons()
    assert (
        "They part at 10.30 s (tick 206), at Odo’s Escort the visitor." in said
    )
    assert (
        "in Take 2 only: a cue holds 1.1 Escort the visitor of odo at refused"
        in said
    )
    assert (
        "Take 2: Escort the visitor was refused: it is held back by a cue."
        in said
    )
    assert hands.pane._parting.isVisible()


def test_a_take_is_compared_with_any_other_and_with_a_file(
    demo_driver: Driver, tmp_path: Path
) -> None:
    hands = demo_driver
    first = hands.desk.takes.kept[0].loaded.take
    copied = tmp_path / "kept.take"
    copied.write_bytes(first.path.read_bytes())
    hands.desk.move_playhead(198)
    branch(hands, "hold 1.1 at refused")
    branch(hands, "alarm = 0.9")
    hands.key(Qt.Key.Key_D, ALT)
    hands.type("Take 1")
    hands.until(lambda: hands.desk.takes.current.against == "Take 1")
    assert hands.desk.other_take is first
    hands.answers.file = copied
    hands.key(Qt.Key.Key_D, ALT)
    hands.type("from a file")
    hands.until(lambda: hands.desk.takes.current.against == "kept.take")
    assert hands.desk.other_take.path == copied


def test_an_older_version_of_a_project_without_a_repository_is_refused(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.answers.texts.append("HEAD")
    hands.key(Qt.Key.Key_D, ALT)
    hands.type("older")
    hands.until(
        lambda: any("git repository" in each for each in hands.messages)
    )
    assert len(hands.desk.takes.kept) == 1


def test_what_would_have_made_it_run_is_found_applied_and_undone(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(GAVE_UP)
    hands.desk.select_row("esc")
    hands.key(Qt.Key.Key_X)
    assert "Searching for what would have made it run" in hands.reasons()
    hands.until(lambda: bool(hands.desk.nearest.found))
    said = hands.reasons()
    assert (
        "8 m → 8.1 m in 1.1’s guard: Escort the visitor runs on at 35.90 s"
        in said
    )
    assert "Apply" in said
    hands.key(Qt.Key.Key_X, ALT)
    hands.until(lambda: hands.desk.compared is not None)
    assert hands.desk.takes.current.against == "8 m → 8.1 m in 1.1’s guard"
    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=8)"
    )
    hands.key(Qt.Key.Key_X, SHIFT)
    hands.settle()
    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=8.1)"
    )
    assert (
        hands.desk.explainer.record.row("esc").state_at(GAVE_UP)
        is RowState.RUNNING
    )
    assert hands.desk.nearest.question is None
    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert (
        hands.desk.behavior.row("esc").guard.when
        == "can_see(visitor, within=8)"
    )


def test_nothing_is_searched_for_what_is_only_considered(
    driver: Driver, quay: Path
) -> None:
    hands = driver
    assert hands.open(with_cast(quay, "mila", "visitor"))
    desk = hands.desk
    rows = desk.behavior.rows
    for kind, is_searched in (("consider", False), ("option", True)):
        found = next(
            each.id
            for each in rows
            if each.kind == kind
            and desk.explainer.state_of(each.id, 100) is not RowState.RUNNING
        )
        desk.move_playhead(100)
        desk.select_row(found)
        hands.key(Qt.Key.Key_X)
        assert (desk.nearest.question is not None) is is_searched
        hands.key(Qt.Key.Key_W)


def test_moving_on_gives_a_search_up_and_a_process_that_is_killed_is_started_again(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    nearest = hands.desk.nearest
    hands.desk.move_playhead(GAVE_UP)
    hands.desk.select_row("esc")
    hands.key(Qt.Key.Key_X)
    hands.until(lambda: nearest.process_id != 0)
    first = nearest.question
    hands.key(Qt.Key.Key_Right)
    assert nearest.question is not None
    assert nearest.question != first
    hands.until(lambda: bool(nearest.found))
    hands.key(Qt.Key.Key_W)
    assert nearest.question is None
    assert not nearest.is_searching
    killed = nearest.process_id
    os.kill(killed, signal.SIGKILL)
    hands.until(lambda: nearest.process_id == 0)
    hands.key(Qt.Key.Key_X)
    hands.until(lambda: bool(nearest.found))
    assert nearest.process_id not in (0, killed)


def test_a_link_in_reasons_does_what_it_says(dog_driver: Driver) -> None:
    hands = dog_driver
    hands.desk.select_agent("brine")
    hands.desk.move_playhead(100)
    row_id = hands.desk.behavior.outline.find("1.1.3")
    hands.desk.select_row(row_id)
    hands.key(Qt.Key.Key_X)
    hands.until(lambda: bool(hands.desk.nearest.found))
    said = hands.reasons()
    assert "raise thunder to brine at 5.00 s: Cower runs from 5.00 s" in said
    reasons = hands.pane.views.of(ReasonsView)
    kept = len(hands.desk.takes.kept)
    reasons.anchorClicked.emit(QUrl("branch:0"))
    hands.until(
        lambda: len(hands.desk.takes.kept) > kept and not hands.desk.takes.busy
    )
    assert hands.desk.takes.current.parent == 1
    assert (
        hands.desk.explainer.record.row(row_id).state_at(100)
        is RowState.RUNNING
    )


def test_what_is_done_before_the_playhead_branches_off_there(
    dog_driver: Driver,
) -> None:
    desk = dog_driver.desk
    desk.move_playhead(100)
    thunder = RaiseEvent(raises="thunder", to="brine")
    place = DoneAtTick(scenario="dusk", tick=60, does=thunder)
    change = NearestChange(
        arranged=(Rearranged(place=place, title="thunder"),),
        runs_from=60,
        others=0,
        agent="Brine",
        row_name="Cower",
        seconds=3.0,
        went_on=False,
        succeeds=False,
    )
    do_nearest(desk, change)
    dog_driver.until(
        lambda: desk.branched_at is not None and not desk.takes.busy
    )
    assert desk.branched_at == 60
    assert branch_actions(desk.take.header) == (thunder,)


@pytest.mark.parametrize(
    "action", ["compare", "where_they_part", "keep_as_scenario"]
)
def test_what_needs_another_take_is_not_offered_without_one(
    demo_driver: Driver, action: str
) -> None:
    assert not demo_driver.pane.actions_by_id[action].isEnabled()
