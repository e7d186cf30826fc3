"""The decision map in the window: drawn for the playhead, walked, and led by
typed inputs.
"""

import pytest
from PySide6.QtCore import QPointF, Qt

from tests.desk.conftest import Answers, Driver
from umbrant.desk.views.decisions.running import RunningMap
from umbrant.desk.views.decisions.view import DecisionsView
from umbrant.desk.widgets.theme import NIGHT
from umbrant.mapping.field import STEPS
from umbrant.mapping.worker import MapQuestion
from umbrant.model.edits import Edit, set_guard
from umbrant.model.values import number_text

PLAYED_WITHIN_MS = 90_000
"""Hundreds of places are played; a busy machine takes its time."""


def shown(
    hands: Driver, at_s: float, *, to_the_end: bool = True
) -> DecisionsView:
    """The view with the map at a time: the final one, or the first that is
    drawn.
    """
    hands.desk.move_playhead(int(at_s * 20))
    hands.pane.actions_by_id["show_decisions"].trigger()
    view: DecisionsView = hands.pane.views.of(DecisionsView)
    if to_the_end:
        settle(hands, view)
    else:
        hands.until(lambda: view.running.picture is not None, PLAYED_WITHIN_MS)
    return view


def settle(hands: Driver, view: DecisionsView) -> None:
    hands.until(
        lambda: (
            not view.running.is_running
            and (view.running.error != "" or view.running.picture is not None)
        ),
        timeout_ms=PLAYED_WITHIN_MS,
    )


def test_the_map_shows_where_somebody_would_have_to_stand(
    dog_driver: Driver,
) -> None:
    hands = dog_driver
    view = shown(hands, 18.05)
    picture = view.running.picture
    assert picture.is_final
    assert (picture.x, picture.y) == ("visitor.x", "visitor.y")
    texts = [line.text for line in view.lines()]
    assert texts[0].startswith("1.2 Check last sighting · ")
    assert "1.1 Escort the visitor: can see visitor within 8 m" in texts
    assert view.progress() == f"{picture.played} places played"
    view.grab()
    # Enter goes to the row of a line, and so does the mouse.
    view.setFocus()
    hands.desk.select_row("keep")
    hands.qtbot.keyClick(view, Qt.Key.Key_Down)
    hands.qtbot.keyClick(view, Qt.Key.Key_Return)
    assert hands.desk.row_id == "esc"
    hands.qtbot.mouseClick(
        view, Qt.MouseButton.LeftButton, pos=view.box_of(0).center().toPoint()
    )
    assert hands.desk.row_id == "chk"
    assert [part.name for part in view.parts()] == texts
    # What a place says can be read.
    at = view.to_pixels(picture, (18.0, 14.5))
    assert view.tip_at(at).startswith("visitor.x 18.0")
    assert view.tip_at(view.box_of(1).center()) == texts[1]
    assert view.tip_at(QPointF(1, view.height() - 1)) == ""
    # Where there is little room, no line stands on the foot, and the chosen
    # one is seen.
    view.setFixedHeight(90)
    foot = view.height() - view.box_of(0).height()
    for _ in texts:
        hands.qtbot.keyClick(view, Qt.Key.Key_Down)
        assert view.box_of(view.chosen).top() >= 0
        assert view.box_of(view.chosen).bottom() <= foot
    view.grab()
    view.set_palette(NIGHT)
    view.grab()


def ranged(hands: Driver) -> DecisionsView:
    """The map over how far away the visitor stands."""
    view = shown(hands, 36.5, to_the_end=False)
    view.show_inputs("visitor.distance=0:16", "alarm=0:1")
    hands.until(
        lambda: (
            view.running.picture is not None
            and view.running.picture.x == "visitor.distance"
            and view.running.picture.is_final
        ),
        PLAYED_WITHIN_MS,
    )
    return view


def test_a_border_is_dragged_and_its_number_follows(
    dog_driver: Driver,
) -> None:
    hands, desk = dog_driver, dog_driver.desk
    view = ranged(hands)
    picture = view.running.picture
    here, there = (
        view.to_pixels(picture, (metres, 0.5)).toPoint()
        for metres in (8.0, 9.5)
    )
    assert view.border_at(QPointF(there)) is None
    found = view.border_at(QPointF(here))
    assert found is not None
    assert (found.value, found.place.row) == (8.0, "esc")
    hands.qtbot.mouseMove(view, here)
    hands.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=here)
    hands.qtbot.mouseMove(view, there)
    view.grab()
    assert "within=8" in guard_of(hands), (
        "nothing is written before it is let go"
    )
    hands.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=there)
    written = float(guard_of(hands).partition("within=")[2].partition(")")[0])
    assert written == pytest.approx(9.5, abs=0.4)
    # The map of the new take has the border there; one step of undo takes it
    # back.
    hands.until(lambda: desk.is_current)
    settle(hands, view)
    hands.until(
        lambda: any(
            f"within {written:g} m" in line.text for line in view.lines()
        ),
        PLAYED_WITHIN_MS,
    )
    hands.pane.actions_by_id["undo"].trigger()
    assert "within=8" in guard_of(hands)


def test_a_border_is_moved_by_keyboard(dog_driver: Driver) -> None:
    hands, view = dog_driver, ranged(dog_driver)
    view.setFocus()
    texts = [line.text for line in view.lines()]
    wanted = next(at for at, text in enumerate(texts) if "within 8 m" in text)
    hands.qtbot.keyClick(view, Qt.Key.Key_Right)
    assert "within=8" in guard_of(hands), "a share of the field is no border"
    for _ in range(wanted):
        hands.qtbot.keyClick(view, Qt.Key.Key_Down)
    step = view.running.picture.high[0] / STEPS
    hands.qtbot.keyClick(view, Qt.Key.Key_Right)
    hands.qtbot.keyClick(view, Qt.Key.Key_Right)
    assert (
        guard_of(hands)
        == f"can_see(visitor, within={number_text(round(8 + 2 * step, 2))})"
    )
    hands.qtbot.keyClick(view, Qt.Key.Key_Left)
    hands.qtbot.keyClick(view, Qt.Key.Key_Left)
    assert guard_of(hands) == "can_see(visitor, within=8)"
    # A condition that was written anew meanwhile is left alone.
    hands.desk.apply(
        Edit(
            "Set",
            lambda p: set_guard(
                p, "warden", "esc", "can_see(visitor, within=5)"
            ),
        )
    )
    view.set_number(view.lines()[wanted].number, 7.0)
    assert guard_of(hands) == "can_see(visitor, within=5)"


def guard_of(hands: Driver) -> str:
    guard = hands.desk.project.behavior("warden").by_id["esc"].guard
    assert guard is not None
    return guard.when


def test_the_map_follows_the_playhead_and_the_agent(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    view = shown(hands, 18.05, to_the_end=False)
    first = view.running.picture
    hands.desk.move_playhead(20)
    hands.until(lambda: view.running.question.tick == 20)
    hands.until(
        lambda: view.running.picture not in (None, first), PLAYED_WITHIN_MS
    )
    hands.desk.select_agent("tam")
    hands.until(lambda: view.running.question.agent == "tam")
    settle(hands, view)
    assert view.running.picture.is_final
    assert view.running.picture.x != ""
    # One that decides nothing has no map; what was there stays.
    hands.desk.select_agent("visitor")
    assert view.running.question.agent == "tam"
    # Nothing is drawn that nobody looks at.
    hands.pane.actions_by_id["show_stage"].trigger()
    hands.desk.select_agent("odo")
    assert view.running.question.agent == "tam"


def test_inputs_are_typed_and_what_is_none_is_told(
    dog_driver: Driver, answers: Answers
) -> None:
    hands = dog_driver
    hands.desk.move_playhead(360)
    view = hands.pane.views.of(DecisionsView)
    answers.texts = ["visitor.distance=0:16", "1.1.guard.within=2:14"]
    hands.pane.actions_by_id["decision_map"].trigger()
    assert hands.pane.right.view is view
    hands.until(
        lambda: "1.2.2 Go there fails" in [line.text for line in view.lines()],
        PLAYED_WITHIN_MS,
    )
    picture = view.running.picture
    assert (picture.x, picture.y) == (
        "visitor.distance",
        "warden/1.1.guard.within",
    )
    answers.texts = ["nothing=0:1", "alarm=0:1"]
    hands.pane.actions_by_id["decision_map"].trigger()
    settle(hands, view)
    hands.until(lambda: view.running.error != "")
    assert view.running.error.startswith("nothing: there is no such input.")
    assert view.lines() == []
    assert view.tip_at(QPointF(60, 60)) == ""
    view.grab()
    answers.texts = ["alarm=0:1", None]
    hands.pane.actions_by_id["decision_map"].trigger()
    assert view.inputs == ("nothing=0:1", "alarm=0:1"), (
        "who cancels changes nothing"
    )


def test_a_map_that_ends_early_is_told_of(
    dog_driver: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands = dog_driver
    running = RunningMap(hands.desk)
    take = hands.desk.take.path
    question = MapQuestion(
        take=take, agent="odo", tick=5, x="alarm=0:1", y="visitor.x=0:9"
    )
    running.ask(question)
    ahead = running._spare
    hands.until(lambda: running._process is not None)
    assert running._process is ahead, (
        "one that was started ahead gets the question"
    )
    running._process.kill()
    hands.until(lambda: not running.is_running)
    assert running.error.startswith("The map could not be drawn.")
    # Who dies while it waits is no error: another one is started once there is
    # a question.
    running._spare.kill()
    hands.until(lambda: running._spare is None)
    assert not running.is_running
    # Nobody looks any more: what is being drawn is drawn, and no other process
    # is kept ready.
    running.ask(question.model_copy(update={"tick": 4}))
    hands.until(lambda: running._process is not None)
    running.rest()
    running._process.kill()
    hands.until(lambda: not running.is_running)
    assert running._spare is None
    monkeypatch.setattr(
        "umbrant.desk.views.decisions.running.COMMAND", ("/no/such/program",)
    )
    running.ask(question.model_copy(update={"tick": 6}))
    hands.until(lambda: running.error == "The map could not be started.")
    assert not running.is_running
    running.ask(question.model_copy(update={"tick": 7}))
    running.close()
    assert not running.is_running
    assert running._spare is None
