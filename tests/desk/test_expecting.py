"""Finding in the take, and expectations, in the window."""

import json
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication

from tests.desk.conftest import Answers, Driver
from umbrant.desk.session.numbered_take import NumberedTake
from umbrant.model.edits import Edit, set_seed
from umbrant.model.values import times_text
from umbrant.take.reader import Take

SHIFT = Qt.KeyboardModifier.ShiftModifier


def typed(hands: Driver, text: str) -> None:
    target = QApplication.focusWidget()
    assert target is not None
    hands.qtbot.keyClicks(target, text)


def test_what_is_typed_is_found_in_the_take(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.desk.move_playhead(300)
    hands.pane.actions_by_id["find_in_take"].trigger()
    popup = hands.pane.finder.in_take
    assert popup.isVisible()
    assert "ran(1.2)" in popup.help.text()
    typed(hands, "ran(1.1)")
    assert hands.desk.hits.stretches[0][0] == 206
    assert popup.help.text().startswith("It holds 3 times, ")
    plain = hands.pane.lanes.grab().toImage()
    hands.qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    assert hands.desk.playhead == 206
    starts = [start for start, _ in hands.desk.hits.stretches]
    for expected in starts[1:]:
        hands.key(Qt.Key.Key_F3)
        assert hands.desk.playhead == expected
    hands.key(Qt.Key.Key_F3)
    assert "Nothing more was found" in hands.messages[-1]
    hands.key(Qt.Key.Key_F3, SHIFT)
    assert hands.desk.playhead == starts[-2]
    # What was found is marked on the lanes, until something else is looked
    # for.
    hands.desk.move_playhead(300)
    hands.desk.show_hits("", [])
    assert hands.pane.lanes.grab().toImage() != plain


def test_what_was_found_is_looked_for_again_in_another_take(
    demo_driver: Driver,
) -> None:
    """Also while a take is being played, of which there is more at each look."""
    hands = demo_driver
    desk, popup = hands.desk, hands.pane.finder.in_take
    hands.pane.actions_by_id["find_in_take"].trigger()
    typed(hands, "distance(visitor) < 6 and not ran(1.1)")
    hands.pane.playback.stop.set("ran(1.1)", "odo")
    full, shown = desk.take, desk.takes.current
    says, stretches = popup.help.text(), desk.hits.stretches
    assert says.startswith("It holds 3 times")
    stops = hands.pane.playback.stop.ticks
    assert len(stops) == 3
    for ticks, count in ((100, 0), (362, 1), (660, 2)):
        look = replace(shown.loaded, take=cut(full, ticks))
        desk.takes._show(NumberedTake(0, look, "rolling…", shown.project))
        assert len(desk.hits.stretches) == count
        expected = (
            f"It holds {times_text(count)}"
            if count
            else "It holds at no tick."
        )
        assert popup.help.text().startswith(expected)
        assert all(end < ticks for _, end in desk.hits.stretches)
        assert hands.pane.playback.stop.ticks == [
            each for each in stops if each < ticks
        ]
    popup.hide()
    desk.takes._show(shown)
    assert desk.hits.stretches == stretches
    assert hands.pane.playback.stop.ticks == stops
    # Of another agent something else holds.
    desk.select_agent("brine")
    assert desk.hits.stretches != stretches
    desk.select_agent("odo")
    assert desk.hits.stretches == stretches


def cut(take: Take, ticks: int) -> Take:
    """What there was of a take after so many ticks, as far as conditions are
    worked out from it.
    """
    poses = {name: each[:ticks] for name, each in take.poses.items()}
    return replace(take, ticks=ticks, poses=poses)


def test_what_cannot_be_found_says_why(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.pane.actions_by_id["find_in_take"].trigger()
    typed(hands, "ran(9.9)")
    assert "Odo has no row '9.9'" in hands.pane.finder.in_take.help.text()
    for _ in range(8):
        hands.qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Backspace)
    typed(hands, "time() > 900")
    assert hands.pane.finder.in_take.help.text() == "It holds at no tick."
    hands.qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    hands.qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    assert not hands.pane.finder.in_take.isVisible()


def test_a_broken_expectation_is_in_the_review_and_on_the_lanes(
    quay_driver: Driver,
) -> None:
    hands = quay_driver
    assert hands.desk.broken == ()
    before = hands.pane.lanes.grab().toImage()
    hands.desk.apply(
        Edit("Seed", lambda project: set_seed(project, "dusk", 16))
    )
    hands.settle()
    (broken,) = hands.desk.broken
    assert (broken.agent, broken.tick) == ("odo", 793)
    hands.pane.actions_by_id["show_review"].trigger()
    review = hands.pane.left.view
    lines = [str(line) for line in review.review.lines]
    assert "Expectations: 1 broken in this take" in lines
    assert hands.pane.left.buttons["review"].text() == "Review 1"
    assert hands.pane.lanes.grab().toImage() != before
    hands.desk.select_agent("mila")
    place = next(
        i
        for i, line in enumerate(review.review.lines)
        if broken.says in str(line)
    )
    review.setCurrentIndex(review.review.index(place, 0))
    hands.key(Qt.Key.Key_Return, to=review)
    assert (hands.desk.agent, hands.desk.playhead) == ("odo", 793)
    assert hands.pane.command_context.table is not review


def test_an_expectation_that_cannot_be_understood_is_told(
    quay_driver: Driver, quay: Path
) -> None:
    hands = quay_driver
    (quay / "expectations" / "odd.json").write_text(
        json.dumps({"expect": "never", "that": "ran(9.9)", "of": "odo"})
    )
    hands.desk.roll()
    hands.until(lambda: bool(hands.desk.broken))
    (broken,) = hands.desk.broken
    assert "odo has no row '9.9'" in broken.says
    (quay / "expectations" / "odd.json").write_text("{")
    count = len(hands.desk.takes.kept)
    hands.desk.roll()
    hands.until(lambda: len(hands.desk.takes.kept) > count)
    assert any("expectations/odd.json" in each for each in hands.messages)
    assert hands.desk.broken == ()


def test_playing_stops_where_a_condition_begins(
    demo_driver: Driver, answers: Answers, demo: Path
) -> None:
    hands, playback = demo_driver, demo_driver.pane.playback
    answers.texts = ["ran(1.1)"]
    hands.pane.actions_by_id["stop_where"].trigger()
    assert "3 times in this take" in hands.messages[-1]
    first, second, _ = playback.stop.ticks
    assert hands.pane.lanes.stops == playback.stop.ticks
    hands.desk.move_playhead(first - 8)
    hands.key(Qt.Key.Key_Right, SHIFT)
    assert hands.desk.playhead == first
    assert (
        hands.messages[-1] == f"Stopped at {first / 20:.2f} s: odo: ran(1.1)."
    )
    # From there on it goes on to the next; back it does not stop.
    hands.key(Qt.Key.Key_Right, SHIFT)
    assert hands.desk.playhead == first + 20
    hands.key(Qt.Key.Key_Left, SHIFT)
    hands.key(Qt.Key.Key_Left, SHIFT)
    assert hands.desk.playhead == first - 20
    hands.desk.move_playhead(second - 3)
    playback.set_speed(8.0)
    playback.toggle()
    hands.until(lambda: not playback.playing)
    assert hands.desk.playhead == second
    # It is kept for the next visit, in the author's own settings.
    assert not list(demo.rglob("*stop*"))
    assert hands.open(demo)
    assert hands.pane.playback.stop.condition == "ran(1.1)"
    assert hands.pane.playback.stop.agent == "odo"
    for text in ("ran(9.9)", None):
        answers.texts = [text] if text else []
        hands.pane.actions_by_id["stop_where"].trigger()
        assert hands.pane.playback.stop.condition == "ran(1.1)"
    answers.texts = [" "]
    hands.pane.actions_by_id["stop_where"].trigger()
    assert hands.pane.playback.stop.ticks == []
    assert "nowhere" in hands.messages[-1]


def test_what_is_so_now_is_expected_of_every_take(
    demo_driver: Driver, answers: Answers, demo: Path
) -> None:
    hands = demo_driver
    before = set((demo / "expectations").iterdir())
    hands.desk.move_playhead(230)
    hands.desk.select_row("esc")
    answers.texts = ["ran(1.1)"]
    hands.pane.actions_by_id["expect_this"].trigger()
    (written,) = set((demo / "expectations").iterdir()) - before
    assert json.loads(written.read_text()) == {
        "expect": "by",
        "that": "ran(1.1)",
        "of": "odo",
        "by_s": 12.0,
    }
    assert "it holds in this take" in hands.messages[-1]
    answers.texts = ["time() > 900"]
    hands.pane.actions_by_id["expect_this"].trigger()
    assert "does not hold in this take" in hands.messages[-1]
    assert any(each.file.endswith(".json") for each in hands.desk.broken)
    count = len(list((demo / "expectations").iterdir()))
    for text in ("ran(9.9)", None):
        answers.texts = [text] if text else []
        hands.pane.actions_by_id["expect_this"].trigger()
    assert len(list((demo / "expectations").iterdir())) == count
