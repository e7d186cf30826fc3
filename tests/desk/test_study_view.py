"""A study in the window: started, looked at, stopped, and left for one of its takes."""

from PySide6.QtCore import Qt
from PySide6.QtGui import QFontMetricsF
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Answers, Driver
from umbrant.desk.views.study.view import WORDS, StudyView, telling_runs
from umbrant.desk.widgets.theme import body_font
from umbrant.studying.study import RunTally


def test_a_study_shows_how_often_each_row_ran(demo_driver: Driver, answers: Answers) -> None:
    hands = demo_driver
    view = hands.pane.views.of(StudyView)
    assert view.heading() == "over many seeds"
    answers.number = 4
    hands.pane.actions_by_id["study"].trigger()
    assert hands.pane.right.view is view
    assert view.study.is_running
    assert "of 4 takes" in view.heading()
    hands.until(lambda: not view.study.is_running)
    hands.until(lambda: view.study.found is not None and view.study.found.counted == 4)
    assert view.heading() == "4 takes · Enter opens one · dusk"
    rows = {row.row_id: row for row in view.found.rows}
    titles = [row.title for row in view.found.rows]
    assert titles[:2] == ["1 Keep the quay", "1.1 Escort the visitor"]
    assert rows["keep"].words.startswith("100 % · in 4 of 4 takes · ")
    assert view.found.data(view.found.index(0, 1)) == rows["keep"].words
    # What runs for a tick now and then is not said to run for no time.
    briefest = min(view.found.rows, key=lambda row: row.found.time.median if row.found else 1)
    assert briefest.words.startswith("< 1 % · in 4 of 4 takes")
    view.grab()
    # All of it can be read, also with many takes.
    longest = "100 % · in 100 of 100 takes · 12 times"
    assert view.columnWidth(WORDS) >= QFontMetricsF(body_font()).horizontalAdvance(longest) + 14
    # Enter offers takes; one of them is rolled with its seed.
    place = [row.row_id for row in view.found.rows].index("esc")
    view.setCurrentIndex(view.found.index(place, 0))
    view.setFocus()
    hands.qtbot.keyClick(view, Qt.Key.Key_Return)
    assert hands.desk.row_id == "esc"
    assert view.menu is not None
    texts = [action.text() for action in view.menu.actions()]
    assert texts[0].startswith("It runs longest: seed 1")
    seed = int(texts[0].rpartition(" ")[2])
    count = len(hands.desk.takes.kept)
    view.menu.actions()[0].trigger()
    view.menu.close()
    hands.until(lambda: len(hands.desk.takes.kept) > count)
    hands.settle()
    assert hands.desk.take.header.seed == seed
    # The study of another one of the cast is read when that one is looked at.
    hands.desk.select_agent("visitor")
    hands.until(lambda: view.study.found is not None and view.study.found.agent == "visitor")
    assert all(row.found is None for row in view.found.rows)


def test_a_study_can_be_stopped_and_closed(quay_driver: Driver, answers: Answers) -> None:
    hands = quay_driver
    view = hands.pane.views.of(StudyView)
    answers.number = 5000
    study = hands.pane.actions_by_id["study"]
    study.trigger()
    assert view.study.is_running
    hands.until(lambda: view.study.found is not None and view.study.found.counted > 0)
    assert view.found.rows
    study.trigger()
    assert not view.study.is_running
    QApplication.processEvents()
    assert "takes · Enter opens one" in view.heading()
    # Another project closes what goes on.
    study.trigger()
    assert view.study.is_running
    assert hands.window.open_folder(hands.desk.documents.folder)
    assert not view.study.is_running
    answers.number = None
    hands.pane.actions_by_id["study"].trigger()
    assert not hands.pane.views.of(StudyView).study.is_running


def test_the_takes_that_say_most() -> None:
    assert telling_runs([]) == []
    never, short, long = RunTally(1, 0, 0, None), RunTally(2, 3, 10, 90), RunTally(3, 1, 80, 5)
    assert telling_runs([never, short, long]) == [
        ("It never runs", never),
        ("It runs longest", long),
        ("It runs shortest", short),
        ("It is entered most often", short),
        ("It is entered latest", short),
    ]
    assert telling_runs([never]) == [("It never runs", never)]
