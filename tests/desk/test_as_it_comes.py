"""A take that is rolled is seen as it comes: from when it has reached what the
author looks at.
"""

import math
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from tests.rolling.test_resuming import tables, with_number
from tests.rolling.test_snapshots import LATE, children, has_ended
from umbrant.desk.session.branches import branch
from umbrant.desk.session.numbered_take import NumberedTake
from umbrant.desk.session.roller import Roller
from umbrant.desk.views.reasons import ReasonsView
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, set_guard
from umbrant.model.staging import RaiseEvent, Scenario
from umbrant.rolling import snapshots
from umbrant.rolling.client import SUPERVISOR
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.errors import TakeError
from umbrant.take.reader import Take

pytestmark = pytest.mark.usefixtures("with_snapshots")

LONG_S = 4000.0
ROOT = Path(__file__).parents[2]


def lasting(seconds: float) -> Edit:
    def change(scenario: Scenario) -> Scenario:
        return scenario.model_copy(update={"seconds": seconds})

    def apply(project: Project) -> Project:
        return project.model_copy(
            update={"scenarios": tuple(map(change, project.scenarios))}
        )

    return Edit("Set how long it lasts", apply)


def guarding(metres: float) -> Edit:
    when = f"can_see(visitor, within={metres})"
    return Edit(
        "Set", lambda project: set_guard(project, "warden", "esc", when)
    )


def is_looking(hands: Driver) -> Callable[[], bool]:
    return lambda: (
        hands.desk.takes.current is not None
        and not hands.desk.takes.current.is_finished
    )


def has_snapshots(hands: Driver) -> Callable[[], bool]:
    def found() -> bool:
        players = children(hands.desk.takes.roller.process_id)
        waiting = [
            each
            for player in players[:1]
            for each in children(player)
            if not has_ended(each)
        ]
        return len(waiting) == snapshots.MOST

    return found


def resume(hands: Driver, *numbers: float) -> None:
    """Give a row that is heard of late one number after the other, each once
    there are snapshots to go on from.
    """
    for number in numbers:
        hands.until(has_snapshots(hands))
        hands.desk.apply(
            Edit(
                "Set",
                lambda project, to=number: with_number(project, LATE, to),
            )
        )
        hands.until(
            lambda: not hands.desk.takes.busy and hands.desk.is_current
        )


def test_the_window_shows_what_there_is_once_it_has_reached_the_playhead(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.move_playhead(400)
    hands.desk.apply(lasting(LONG_S))
    hands.until(is_looking(hands))
    take = hands.desk.take
    assert 400 < take.ticks < take.header.ticks
    assert hands.desk.playhead == 400
    assert hands.desk.takes.busy
    assert not hands.desk.is_current
    assert hands.pane.top.take.text().startswith("rolling…")
    assert hands.desk.tape.ticks == take.header.ticks
    # The answer is of what is seen, right after it.
    reasons = hands.pane.views.of(ReasonsView)
    hands.until(lambda: reasons.answer == hands.desk.explainer.why(400))
    # It goes on: the next look shows more.
    seen = take.ticks
    hands.until(lambda: hands.desk.take.ticks > seen)
    hands.desk.takes.roller.stop()
    hands.until(
        lambda: (
            not hands.desk.takes.busy and hands.desk.takes.current.is_finished
        )
    )
    assert hands.desk.playhead == 400
    assert len(hands.desk.takes.kept) == 2


def test_before_it_has_reached_the_playhead_the_take_before_is_shown(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    shown = hands.desk.takes.current
    hands.desk.apply(lasting(LONG_S))
    hands.desk.move_playhead(10_000_000)
    assert hands.desk.playhead == shown.loaded.take.last_tick
    hands.until(lambda: (hands.desk.takes.percent or 0) >= 1)
    assert hands.desk.takes.current is shown
    hands.desk.takes.roller.stop()
    hands.until(
        lambda: (
            not hands.desk.takes.busy and hands.desk.takes.current is not shown
        )
    )
    # Where the playhead was put counts, as soon as there is a take that
    # reaches there.
    assert hands.desk.playhead == hands.desk.take.last_tick


def test_a_newer_edit_abandons_what_is_shown_as_it_comes(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.apply(lasting(LONG_S))
    hands.until(is_looking(hands))
    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.settle()
    assert hands.desk.take.is_complete
    assert [each.number for each in hands.desk.takes.kept] == [1, 2]
    assert not list(hands.desk.takes.next_file().parent.glob("*-wal"))
    left = {
        each.name for each in hands.desk.takes.next_file().parent.iterdir()
    }
    assert {
        each.loaded.take.path.name for each in hands.desk.takes.kept
    } <= left
    assert len(left) <= len(hands.desk.takes.kept) + 1


def test_a_take_that_is_still_played_is_no_parent_of_a_branch(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    hands.desk.apply(lasting(LONG_S))
    hands.until(is_looking(hands))
    assert not hands.pane.actions_by_id["from_here"].isEnabled()
    assert not hands.pane.actions_by_id["keep_take"].isEnabled()
    branch(hands.desk, [RaiseEvent(raises="thunder")])
    assert "still being played" in hands.messages[-1]
    assert hands.desk.takes.busy


def test_when_nothing_comes_of_it_a_whole_take_is_shown_again(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    shown = hands.desk.takes.current
    hands.desk.apply(lasting(LONG_S))
    hands.until(is_looking(hands))
    hands.desk.takes.roller._process.kill()
    hands.until(lambda: not hands.desk.takes.busy)
    assert hands.desk.takes.current is shown
    assert any("has stopped" in each for each in hands.messages)


def test_the_next_edit_is_compared_with_a_whole_take(
    demo_driver: Driver,
) -> None:
    hands = demo_driver
    first = hands.desk.takes.current
    hands.desk.apply(lasting(LONG_S))
    hands.until(is_looking(hands))
    hands.desk.apply(lasting(first.loaded.take.ticks / 20))
    hands.desk.apply(guarding(11))
    hands.settle()
    assert hands.desk.takes.current.loaded.before is first.loaded.take


def test_a_look_at_a_resumed_take_goes_on_from_one_that_is_known(
    monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> None:
    monkeypatch.setattr(Roller, "COMMAND", SUPERVISOR)
    hands: Driver = request.getfixturevalue("dog_driver")
    shown: list[NumberedTake] = []
    takes = hands.desk.takes
    takes.shown.connect(lambda: shown.append(takes.current))
    hands.desk.move_playhead(600)
    resume(hands, 1.1, 1.2, 1.3)
    looks = [each.loaded for each in shown if not each.is_finished]
    parts = [each for each in looks if each.request.past is not None]
    assert parts
    for each in parts:
        assert each.take.ticks > 600
        begun = [
            span.start
            for row in each.take.agents["brine"].rows.values()
            for span in row.spans
        ]
        assert min(begun) == 0
        assert not math.isnan(each.take.poses["brine"][0][0])
    # None of their files is left.
    kept = {each.loaded.take.path for each in takes.kept}
    hands.until(lambda: {*takes.next_file().parent.iterdir()} == kept)


@pytest.mark.parametrize("fault", ["cannot be read", "is not kept"])
def test_where_that_cannot_be_the_look_is_a_full_one(
    monkeypatch: pytest.MonkeyPatch,
    request: pytest.FixtureRequest,
    no_hidden_errors: list[str],
    fault: str,
) -> None:
    monkeypatch.setattr(Roller, "COMMAND", SUPERVISOR)
    hands: Driver = request.getfixturevalue("dog_driver")
    tried: list[Path] = []
    if fault == "cannot be read":
        no_hidden_errors.append("a look could not go on from a take: ")

        def read_on(path: Path, before: Take) -> Take:
            tried.append(path)
            raise TakeError("it goes on from another take")

        monkeypatch.setattr("umbrant.desk.session.loader.read_on", read_on)
    else:

        def kept_at(path: Path | None) -> Take | None:
            if path is not None:
                tried.append(path)
            return None

        monkeypatch.setattr(hands.desk.takes, "_kept_at", kept_at)
    shown: list[NumberedTake] = []
    takes, messages = hands.desk.takes, []
    takes.message.connect(messages.append)
    takes.shown.connect(lambda: shown.append(takes.current))
    # Long enough for a second look to come before its end.
    hands.desk.move_playhead(500)
    resume(hands, 1.1, 1.2, 1.3, 1.4)
    assert tried
    looks = [each.loaded for each in shown if not each.is_finished]
    assert [each.request.past for each in looks] == [None] * len(looks)
    assert not any("damaged" in each for each in messages)
    kept = {each.loaded.take.path for each in takes.kept}
    hands.until(lambda: {*takes.next_file().parent.iterdir()} == kept)


def test_a_take_that_went_on_wrongly_is_found_out_and_played_again(
    monkeypatch: pytest.MonkeyPatch,
    request: pytest.FixtureRequest,
    no_hidden_errors: list[str],
    tmp_path: Path,
) -> None:
    no_hidden_errors.append("a resumed take was not right: ")
    monkeypatch.setenv("PYTHONPATH", str(ROOT))
    monkeypatch.setattr(
        Roller,
        "COMMAND",
        (sys.executable, "-m", "tests.rolling.wrong_supervisor"),
    )
    hands: Driver = request.getfixturevalue("dog_driver")
    messages: list[str] = []
    hands.desk.message.connect(messages.append)
    hands.until(has_snapshots(hands))
    hands.desk.apply(
        Edit("Set", lambda project: with_number(project, LATE, 1.1))
    )
    hands.until(
        lambda: any("was not quite right" in each for each in messages)
    )
    hands.until(lambda: not hands.desk.takes.busy and hands.desk.is_current)
    take = hands.desk.take
    right = roll(
        RollOrder(hands.desk.project, "dusk", tmp_path / "right.take")
    )
    assert tables(take.path) == tables(right)
    # None goes on from a snapshot any more.
    hands.desk.apply(
        Edit("Set", lambda project: with_number(project, LATE, 1.2))
    )
    hands.until(lambda: not hands.desk.takes.busy and hands.desk.is_current)
    right = roll(
        RollOrder(hands.desk.project, "dusk", tmp_path / "again.take")
    )
    assert tables(hands.desk.take.path) == tables(right)
