"""Rehearsing: what a hand does is played at once, and repeated exactly by
later rolls.
"""

from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.rolling.supervised import replies_in_turn
from tests.small import project, row
from umbrant.catalog.validation import open_project, validate
from umbrant.comparing.parting import first_difference
from umbrant.model.documents import Project
from umbrant.model.staging import (
    DropProp,
    Member,
    Prop,
    RaiseEvent,
    Scenario,
    WalkPoint,
)
from umbrant.rolling.orders import end_line, order_line, step_line
from umbrant.rolling.rehearse import Rehearsal, SteeringInput, with_track
from umbrant.rolling.roll import RollOrder, header_of, roll
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take
from umbrant.take.recorder import TakeRecorder
from umbrant.take.writer import TakeWriter

QUAY = open_project(DEMO)
FISH = Prop(name="herring", group="fish", at=(23.0, 6.0))


def hand(tick: int) -> SteeringInput:
    """A hand that goes here and there, drops a fish and rings the bell."""
    push = {
        0: (1.0, 0.0),
        30: (0.0, -1.4),
        60: (-2.0, 0.5),
        90: (0.0, 0.0),
    }.get(tick)
    cue_actions = {
        40: (DropProp(drops=FISH),),
        70: (RaiseEvent(raises="alarm.bell"),),
    }.get(tick, ())
    return SteeringInput(push=push, cue_actions=cue_actions)


def text(path: Path) -> str:
    return export_text(read_take(path), ExportFormat.JSONL)


def rehearsed(
    made: Project, scenario: str, puppet: str, path: Path, ticks: int
) -> tuple[Rehearsal, Project]:
    order = RollOrder(made, scenario, path, seconds=ticks / 20)
    writer: list[TakeWriter] = []

    def record(played: Scenario) -> TakeRecorder:
        writer.append(TakeWriter(path, header_of(made, played)))
        return writer[0]

    rehearsal = Rehearsal(order, puppet, record)
    for tick in range(ticks):
        frame = rehearsal.step(hand(tick))
        assert frame.tick == tick + 1
    writer[0].close()
    track = rehearsal.track
    return rehearsal, with_track(
        made, scenario, puppet, track.steps, track.cues
    )


TAKEN_OVER, PUSHED = 150, 160


def later(tick: int) -> SteeringInput:
    """A hand that pushes at a later tick."""
    return SteeringInput(push={PUSHED: (1.2, 0.0), 200: (0.0, 0.0)}.get(tick))


@pytest.mark.parametrize("walks", [True, False])
def test_a_hand_that_takes_over_later_leaves_what_was_before_as_it_was(
    tmp_path: Path, walks: bool
) -> None:
    """Until the hand takes over the puppet walks, or does what an earlier hand
    did.
    """
    made = (
        QUAY
        if walks
        else rehearsed(QUAY, "dusk", "visitor", tmp_path / "first", 240)[1]
    )
    parent = read_take(
        roll(RollOrder(made, "dusk", tmp_path / "parent.take", seconds=12.0))
    )
    path, writer = tmp_path / "r.take", list[TakeWriter]()

    def record(played: Scenario) -> TakeRecorder:
        writer.append(TakeWriter(path, header_of(made, played)))
        return writer[0]

    order = RollOrder(made, "dusk", path, seconds=12.0)
    rehearsal = Rehearsal(order, "visitor", record, from_tick=TAKEN_OVER)
    for tick in range(TAKEN_OVER, 240):
        assert rehearsal.step(later(tick)).tick == tick + 1
    writer[0].close()
    track = rehearsal.track
    after = with_track(
        made, "dusk", "visitor", track.steps, track.cues, TAKEN_OVER
    )
    assert validate(after) == []
    again = roll(
        RollOrder(after, "dusk", tmp_path / "again.take", seconds=12.0)
    )
    assert text(again) == text(path)
    branch = read_take(again)
    before = branch.poses["visitor"][: TAKEN_OVER + 1]
    assert (before == parent.poses["visitor"][: TAKEN_OVER + 1]).all()
    first = first_difference(parent, branch)
    assert first is not None
    assert first.tick >= TAKEN_OVER
    # It stands from then on, until the hand pushes it.
    stands = branch.poses["visitor"][TAKEN_OVER:, :2]
    assert (stands[: PUSHED - TAKEN_OVER + 1] == stands[0]).all()
    assert (stands[PUSHED - TAKEN_OVER + 3] != stands[0]).any()


def test_rolling_a_rehearsed_scenario_gives_the_take_of_the_rehearsal(
    tmp_path: Path,
) -> None:
    rehearsal, after = rehearsed(
        QUAY, "dusk", "visitor", tmp_path / "r.take", 120
    )
    assert rehearsal.over
    assert validate(after) == []
    again = roll(
        RollOrder(after, "dusk", tmp_path / "again.take", seconds=6.0)
    )
    assert text(again) == text(tmp_path / "r.take")
    assert text(again) != text(
        roll(RollOrder(QUAY, "dusk", tmp_path / "plain.take", seconds=6.0))
    )


def test_a_second_rehearsal_takes_the_place_of_the_first(
    tmp_path: Path,
) -> None:
    _, once = rehearsed(QUAY, "dusk", "visitor", tmp_path / "1.take", 100)
    _, twice = rehearsed(once, "dusk", "visitor", tmp_path / "2.take", 100)
    assert twice == once


def test_a_puppet_stands_until_the_hand_moves_it_and_walls_stop_it(
    tmp_path: Path,
) -> None:
    walker = Member(
        name="p", start=(10, 5), walk=(WalkPoint(at_s=1, to=(1, 1)),)
    )
    made = project(
        row("ww", "wait", duration=9.0), cast=(walker,), seconds=30.0
    )
    rehearsal = Rehearsal(
        RollOrder(made, "s", tmp_path / "t.take"),
        "p",
        lambda played: TakeRecorder(played.ticks_per_s, 100, lambda _: None),
    )
    assert rehearsal.step(SteeringInput()).poses["p"][:2] == (10.0, 5.0)
    frames = [
        rehearsal.step(SteeringInput(push=(2.0, 0.0))) for _ in range(100)
    ]
    rehearsal.close()
    assert frames[10].poses["p"][0] > 11.5
    assert 19.5 < frames[-1].poses["p"][0] < 19.8, "the stage ends at 20 m"
    assert [step.tick for step in rehearsal.track.steps] == [1]


def test_a_worker_rehearses_line_by_line(tmp_path: Path) -> None:
    made = project(
        row("ss", "say", text="Hm"),
        cast=(Member(name="p", start=(10, 5)),),
        seconds=0.5,
    )
    order = RollOrder(made, "s", tmp_path / "t.take")
    lines = [
        order_line(3, order, "p"),
        step_line(3, SteeringInput(push=(1.0, 0.0))),
        step_line(3, SteeringInput()),
        end_line(3),
    ]
    replies = replies_in_turn(
        [*lines, step_line(3, SteeringInput()), order_line(4, order)]
    )
    assert [
        reply.frame.tick if reply.frame else None for reply in replies
    ] == [
        None,
        1,
        2,
        None,
        None,
        None,
    ]
    assert replies[1].frame is not None
    assert replies[1].frame.said == (("a", "Hm"),)
    assert (replies[3].take, len(replies[3].steps)) == (tmp_path / "t.take", 1)
    assert replies[5].take == tmp_path / "t.take"


def test_a_rehearsal_that_cannot_begin_or_is_given_up_leaves_no_file(
    tmp_path: Path,
) -> None:
    made = project(
        row("ss", "say", text="Hm"),
        cast=(Member(name="p", start=(10, 5)),),
        seconds=0.5,
    )
    lost = made.model_copy(
        update={
            "scenarios": tuple(
                each.model_copy(update={"stage": "nowhere"})
                for each in made.scenarios
            )
        }
    )
    lines = [
        order_line(1, RollOrder(lost, "s", tmp_path / "1.take"), "p"),
        order_line(2, RollOrder(made, "s", tmp_path / "2.take"), "p"),
        step_line(2, SteeringInput()),
        order_line(3, RollOrder(made, "s", tmp_path / "3.take")),
    ]
    replies = replies_in_turn(lines)
    assert replies[0].error
    assert [each.name for each in tmp_path.iterdir()] == ["3.take"]
