"""A study in the window: started, looked at, stopped, and left for one of its
takes.
"""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QImage, QPainter
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Answers, Driver
from tests.small import row
from umbrant.desk.chips.sentence import ChipEditor
from umbrant.desk.views.study.lines import StudyLook, study_lines
from umbrant.desk.views.study.painting import paint_line
from umbrant.desk.views.study.view import WORDS, StudyView, telling_runs
from umbrant.desk.widgets.theme import DAY, body_font
from umbrant.model.behaviors import Behavior
from umbrant.model.edits import Edit, set_muted
from umbrant.studying.clusters import TakeCluster
from umbrant.studying.study import RunTally
from umbrant.studying.summaries import FindingSummary, ShareSummary
from umbrant.studying.vary import name_of_field


def test_a_study_shows_how_often_each_row_ran(
    demo_driver: Driver, answers: Answers
) -> None:
    hands = demo_driver
    view = hands.pane.views.of(StudyView)
    assert view.heading() == "over many seeds"
    answers.number = 4
    hands.pane.actions_by_id["study"].trigger()
    assert hands.pane.right.view is view
    assert view.study.is_running
    assert "of 4 takes" in view.heading()
    hands.until(lambda: not view.study.is_running)
    hands.until(
        lambda: view.study.found is not None and view.study.found.counted == 4
    )
    assert view.heading() == "4 takes · Enter opens one · dusk"
    rows = {row.row_id: row for row in view.found.lines}
    titles = [row.title for row in view.found.lines]
    assert titles[:2] == ["1 Keep the quay", "1.1 Escort the visitor"]
    assert rows["keep"].words.startswith("100 % · in 4 of 4 takes · ")
    assert view.found.data(view.found.index(0, 1)) == rows["keep"].words
    # What runs for a tick now and then is not said to run for no time.
    briefest = min(
        view.found.lines,
        key=lambda row: row.found.time.median if row.found else 1,
    )
    assert briefest.words.startswith("< 1 % · in 4 of 4 takes")
    view.grab()
    # All of it can be read, also with many takes.
    longest = "100 % · in 100 of 100 takes · 12 times"
    assert (
        view.columnWidth(WORDS)
        >= QFontMetricsF(body_font()).horizontalAdvance(longest) + 14
    )
    # Enter offers takes; one of them is rolled with its seed.
    place = [row.row_id for row in view.found.lines].index("esc")
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
    hands.until(
        lambda: (
            view.study.found is not None
            and view.study.found.agent == "visitor"
        )
    )
    assert all(row.found is None for row in view.found.lines)


def test_a_study_can_be_stopped_and_closed(
    quay_driver: Driver, answers: Answers
) -> None:
    hands = quay_driver
    view = hands.pane.views.of(StudyView)
    answers.number = 5000
    study = hands.pane.actions_by_id["study"]
    study.trigger()
    assert view.study.is_running
    hands.until(
        lambda: view.study.found is not None and view.study.found.counted > 0
    )
    assert view.found.lines
    study.trigger()
    assert not view.study.is_running
    QApplication.processEvents()
    assert "· Enter opens one" in view.heading()
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
    never, short, long = (
        RunTally(seed, "{}", *more)
        for seed, *more in ((1, 0, 0, None), (2, 3, 10, 90), (3, 1, 80, 5))
    )
    assert telling_runs([never, short, long]) == [
        ("It never runs", never),
        ("It runs longest", long),
        ("It runs shortest", short),
        ("It is entered most often", short),
        ("It is entered latest", short),
    ]
    assert telling_runs([never]) == [("It never runs", never)]


def test_a_number_is_studied_over_a_range_and_its_curve_leads_to_a_take(
    dog_driver: Driver, answers: Answers
) -> None:
    hands = dog_driver
    view = hands.pane.views.of(StudyView)
    hands.pane.actions_by_id["study_number"].trigger()
    assert hands.messages[-1].startswith("Go to a number first")
    esc = hands.desk.behavior.row("esc")
    hands.desk.select_row("esc")
    hands.ledger.focus_chip(1)
    while hands.ledger.focused_chip[0].editor is not ChipEditor.NUMBER:
        hands.ledger.focus_chip(1)
    assert "within" in esc.guard.when
    answers.texts, answers.number = ["5:9:2", "5:9:0"], 2
    hands.pane.actions_by_id["study_number"].trigger()
    assert view.study.vary == "warden/1.1.guard.1=5:9:2"
    assert (view.study.seeds, view.study.takes) == (2, 6)
    hands.until(lambda: not view.study.is_running)
    hands.until(
        lambda: view.study.found is not None and view.study.found.counted == 6
    )
    assert (
        view.heading()
        == "6 takes · Enter opens one · dusk · warden/1.1.guard.1"
    )
    line = next(each for each in view.found.lines if each.row_id == "esc")
    assert [value for value, _ in line.curve] == [5.0, 7.0, 9.0]
    shares = [time.median for _, time in line.curve]
    assert shares == sorted(shares), "who sees further escorts for longer"
    assert line.words.startswith("5: ")
    view.grab()
    index = view.found.index(view.found.lines.index(line), 0)
    view.setCurrentIndex(index)
    view.setFocus()
    hands.qtbot.keyClick(view, Qt.Key.Key_Return)
    texts = [action.text() for action in view.menu.actions()]
    longest = next(
        text for text in texts if text.startswith("It runs longest: seed ")
    )
    assert ", 1 = 9" in longest
    before = hands.desk.take
    view.menu.actions()[texts.index(longest)].trigger()
    view.menu.close()
    hands.until(lambda: hands.desk.take is not before and hands.has_take())
    take = hands.desk.take
    assert (
        take.header.project.behavior("warden")
        .row("esc")
        .guard.when.endswith("within=9)")
    )
    assert hands.desk.playhead == take.agents["odo"].row("esc").spans[0].start
    hands.ledger.setFocus()
    hands.pane.actions_by_id["study_number"].trigger()
    assert "never gets to 9" in hands.messages[-1]


def test_numbers_of_the_setting_can_be_studied(dog_driver: Driver) -> None:
    project = dog_driver.desk.project
    body = ("scenarios", "dusk", "cast", "0", "body", "walk_m_s")
    assert name_of_field(project, body) == "dusk/odo.body.walk_m_s"
    assert (
        name_of_field(project, ("scenarios", "dusk", "seconds"))
        == "dusk/seconds"
    )
    alarm = list(project.blackboard("commons").by_name).index("alarm")
    key = ("blackboards", "commons", "keys", str(alarm), "default")
    assert name_of_field(project, key) == "commons/alarm"
    for other in (
        ("scenarios", "dusk", "title"),
        ("stages", "quay"),
        (*body[:-1], "flies"),
    ):
        assert name_of_field(project, other) is None


def test_the_study_before_an_edit_stays_to_be_compared_with(
    dog_driver: Driver, answers: Answers
) -> None:
    hands = dog_driver
    view = hands.pane.views.of(StudyView)
    answers.number = 2

    def study() -> None:
        hands.pane.actions_by_id["study"].trigger()
        hands.until(lambda: not view.study.is_running)
        hands.until(
            lambda: (
                view.study.found is not None and view.study.found.counted == 2
            )
        )

    study()
    assert all(each.before is None for each in view.found.lines)
    hands.desk.apply(
        Edit("Mute", lambda p: set_muted(p, "warden", ["esc"], True))
    )
    study()
    lines = {each.row_id: each for each in view.found.lines}
    assert lines["esc"].words == "in no take · it ran before"
    assert lines["esc"].before.takes == 2
    assert ", was " in lines["keep"].words
    view.grab()


def test_lines_say_chances_findings_and_odd_takes() -> None:
    behavior = Behavior(
        name="b",
        title="B",
        blackboard="k",
        rows=(row("aa", "wait", name="Doze"),),
    )
    share = ShareSummary("a", "aa", "decorator 0", 200, 90, 0.3)
    drawn = ShareSummary("a", "zz", "top", 10, 5, None)
    found = FindingSummary("key", "a", "Doze: It never ran.", 3, 4, 7)
    alike = (
        TakeCluster((5,), {"aa": 0.75}),
        TakeCluster((1, 2, 3), {"zz": 0.7, "aa": 0.25}),
    )
    look = StudyLook("a", 4, (), (share, drawn), (found,), alike)
    lines = study_lines(look, behavior)
    assert [(each.title, each.words, each.seeds) for each in lines] == [
        ("1 Doze", "in no take", ()),
        ("Left to chance", "", ()),
        ("1 Doze", "45.0 % of 200 · set 30.0 %, not likely", ()),
        ("zz", "50.0 % of 10", ()),
        ("Takes that went alike, the odd ones first", "", ()),
        ("1 Doze 75 %", "1 take", (5,)),
        ("zz 70 %, 1 Doze 25 %", "3 takes", (1, 2, 3)),
        ("Found in takes", "", ()),
        ("Doze: It never ran.", "in 3 of 4 takes", (7,)),
    ]
    assert [each.part for each in lines[5:9]] == [0.25, 0.75, None, 0.75]
    empty = QImage(300, 24, QImage.Format.Format_ARGB32)
    empty.fill(0)
    drawn_on = []
    for line in lines:
        picture = QImage(empty)
        painter = QPainter(picture)
        paint_line(painter, QRectF(2, 2, 296, 20), line, DAY)
        painter.end()
        drawn_on.append(picture != empty)
    assert drawn_on == [
        False,
        False,
        True,
        True,
        False,
        True,
        True,
        False,
        True,
    ]
