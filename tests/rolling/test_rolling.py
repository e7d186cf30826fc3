"""Rolling: the same inputs give the same take, in one process and in another;
the worker answers or says why not.
"""

import json
from itertools import pairwise
from math import hypot
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import DEMO
from tests.rolling.supervised import replies_in_turn, replies_to
from tests.small import played, project, row
from tests.take.test_pieces import tables
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.catalog.validation import open_project, validate
from umbrant.model.behaviors import Key, Sharing
from umbrant.model.documents import Project
from umbrant.model.edits import set_value
from umbrant.model.parts import Slot
from umbrant.model.staging import (
    Body,
    Cue,
    Member,
    MoveTo,
    RaiseEvent,
    SetKey,
    SetNumber,
    Stat,
    TakeAway,
    concerned,
)
from umbrant.model.values import KeyType
from umbrant.reasons.decision_changes import behavior_of
from umbrant.rolling.orders import Reply, order_line
from umbrant.rolling.roll import RollOrder, RollStopped, roll
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take

PROJECT = open_project(DEMO)


def exported(path: Path, seed: int | None = None) -> str:
    return export_text(
        read_take(roll(RollOrder(PROJECT, "dusk", path, seed, 12.0))),
        ExportFormat.JSONL,
    )


def test_the_same_seed_gives_equal_bytes_and_another_seed_another_take(
    tmp_path: Path,
) -> None:
    first = exported(tmp_path / "1.take")
    assert exported(tmp_path / "2.take") == first
    assert exported(tmp_path / "3.take", seed=12) != first


def test_a_worker_process_gives_the_same_take(tmp_path: Path) -> None:
    line = order_line(
        7, RollOrder(PROJECT, "dusk", tmp_path / "w.take", None, 12.0)
    )
    assert replies_to([line]) == [Reply(number=7, take=tmp_path / "w.take")]
    here = roll(RollOrder(PROJECT, "dusk", tmp_path / "here.take", None, 12.0))
    assert dict(tables(tmp_path / "w.take")) == dict(tables(here))
    assert export_text(
        read_take(tmp_path / "w.take"), ExportFormat.JSONL
    ) == exported(tmp_path / "h.take")


@pytest.mark.parametrize("scenario", [each.name for each in PROJECT.scenarios])
def test_every_scenario_of_the_demo_comes_out_the_same_here_and_in_another_process(
    tmp_path: Path, scenario: str
) -> None:
    here = roll(RollOrder(PROJECT, scenario, tmp_path / "1.take", seconds=3.0))
    text = export_text(read_take(here), ExportFormat.JSONL)
    again = roll(
        RollOrder(PROJECT, scenario, tmp_path / "2.take", seconds=3.0)
    )
    assert export_text(read_take(again), ExportFormat.JSONL) == text
    line = order_line(
        1, RollOrder(PROJECT, scenario, tmp_path / "3.take", seconds=3.0)
    )
    replies_to([line])
    assert (
        export_text(read_take(tmp_path / "3.take"), ExportFormat.JSONL) == text
    )


def test_in_the_demo_every_row_is_entered_and_left_in_turn_and_never_outside_the_row_it_is_in(
    tmp_path: Path,
) -> None:
    take = read_take(roll(RollOrder(PROJECT, "dusk", tmp_path / "t.take")))
    for name, agent in take.agents.items():
        behavior = behavior_of(take, name)
        for row_id, record in agent.rows.items():
            for one, other in pairwise(record.spans):
                assert one.end is not None, (name, row_id)
                assert one.end <= other.start, (name, row_id)
            above = behavior.outline.parent[row_id] if behavior else None
            around = agent.row(above).spans if above else []
            for span in record.spans if around else []:
                assert any(each.covers(span.start) for each in around), (
                    name,
                    row_id,
                    span,
                )


def test_the_newest_order_wins(tmp_path: Path) -> None:
    orders = [
        order_line(
            n,
            RollOrder(
                PROJECT,
                "dusk",
                tmp_path / f"{n}.take",
                None,
                60.0 if n < 3 else 0.5,
            ),
        )
        for n in (1, 2, 3)
    ]
    replies = replies_to(orders)
    assert replies[-1] == Reply(number=3, take=tmp_path / "3.take")
    assert [reply.take for reply in replies[:-1]] == [None, None]
    assert not (tmp_path / "1.take").exists()


def test_an_order_that_cannot_be_done_is_answered_with_the_reason(
    tmp_path: Path,
) -> None:
    (tmp_path / "file").write_text("")
    bad_place = order_line(
        1, RollOrder(PROJECT, "dusk", tmp_path / "file" / "x.take", None, 0.5)
    )
    broken = json.loads(
        order_line(
            2, RollOrder(PROJECT, "dusk", tmp_path / "y.take", None, 0.5)
        )
    )
    broken["documents"]["behaviors/warden.json"] = "{"
    (first,), (second,) = (
        replies_to([bad_place]),
        replies_to([json.dumps(broken)]),
    )
    assert "cannot be written" in first.error
    assert "behaviors/warden.json" in second.error


def test_a_take_that_is_over_before_its_file_was_refused_has_the_reason(
    tmp_path: Path,
) -> None:
    """Its player may have sent all of it before it is ended: once in ten times
    it has.
    """
    made = project(row("top", "last", ticks=5), seconds=0.2)
    (tmp_path / "file").write_text("")
    orders = [
        order_line(number, RollOrder(made, "s", tmp_path / "file" / "x.take"))
        for number in range(1, 81)
    ]
    for reply in replies_in_turn(orders):
        assert "cannot be written" in reply.error


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("seed", "eleven"),
        ("seconds", "long"),
        ("trusted", 1),
        ("number", "1"),
        ("sead", 3),
    ],
)
def test_an_order_with_a_wrong_type_is_refused_by_the_name_of_its_field(
    tmp_path: Path, field: str, value: object
) -> None:
    data = json.loads(
        order_line(
            1, RollOrder(PROJECT, "dusk", tmp_path / "y.take", None, 0.5)
        )
    )
    (reply,) = replies_to([json.dumps({**data, field: value})])
    assert reply.take is None
    assert reply.error.startswith("The order could not be read")
    assert field in reply.error
    assert not (tmp_path / "y.take").exists()


def test_a_line_that_is_no_order_at_all_is_refused(tmp_path: Path) -> None:
    for line in ("{", "[]", "3", '{"number": 4}'):
        (reply,) = replies_to([line])
        assert reply.error.startswith("The order could not be read"), line


def test_a_roll_that_is_stopped_keeps_what_was_recorded(
    tmp_path: Path,
) -> None:
    ticks = iter([False] * 450 + [True])
    with pytest.raises(RollStopped, match="tick 450 of 840"):
        roll(
            RollOrder(PROJECT, "dusk", tmp_path / "t.take"),
            should_stop=lambda: next(ticks),
        )
    take = read_take(tmp_path / "t.take")
    assert take.ticks == 450
    assert not take.is_complete


def test_a_take_explains_itself_after_its_project_has_changed(
    tmp_path: Path,
) -> None:
    path = roll(RollOrder(PROJECT, "dusk", tmp_path / "t.take", None, 1.0))
    changed = set_value(PROJECT, "warden", Slot("close", "", "reach"), 9.0)
    take = read_take(path)
    assert take.header.project == PROJECT
    assert take.header.project != changed


def test_the_demo_exercises_what_it_is_meant_to() -> None:
    rows = PROJECT.behavior("warden").rows
    assert len(rows) >= 12
    assert {row.guard.watch for row in rows if row.guard} == {
        "on entry",
        "while running",
        "take over",
        "throughout",
    }
    assert {each.kind for row in rows for each in row.decorators} == {
        "cooldown",
        "time_limit",
        "invert",
    }
    assert {key.type for key in PROJECT.blackboard("quay").keys} >= {
        "yes/no",
        "number",
        "text",
        "point",
        "agent",
    }
    assert any(row.upkeep for row in rows)
    scenario = PROJECT.scenario("dusk")
    assert (scenario.seconds, scenario.ticks_per_s) == (42, 20)
    assert (
        len(
            [
                prop
                for prop in PROJECT.stage("quay").props
                if prop.group == "lamps"
            ]
        )
        == 6
    )


def test_a_spawner_brings_its_copies_on_one_after_the_other(
    tmp_path: Path,
) -> None:
    project = open_project(DEMO)
    dusk = project.scenario("dusk")
    gulls = next(each for each in dusk.cast if each.copies > 1).model_copy(
        update={"copies": 3, "every_s": 2.0}
    )
    few = dusk.model_copy(
        update={"cast": (gulls,), "cues": (), "seconds": 6.0}
    )
    project = project.model_copy(update={"scenarios": (few,)})
    take = read_take(
        roll(RollOrder(project, "dusk", tmp_path / "spawner.take"))
    )
    came = [
        int(np.argmin(np.isnan(take.poses[f"{gulls.name}_{n}"][:, 0])))
        for n in (1, 2, 3)
    ]
    assert came == [0, 2 * dusk.ticks_per_s, 4 * dusk.ticks_per_s]


def few_gulls(*cues: Cue, **changed: object) -> Project:
    """The demo with nothing but three gulls at dusk, for six seconds."""
    project = open_project(DEMO)
    dusk = project.scenario("dusk")
    gulls = next(each for each in dusk.cast if each.copies > 1)
    three = gulls.model_copy(
        update={"name": "gull", "copies": 3, "scatter_m": 1.0, **changed}
    )
    few = dusk.model_copy(
        update={"cast": (three,), "cues": cues, "seconds": 6.0}
    )
    return project.model_copy(update={"scenarios": (few,)})


def test_a_cue_brings_the_copies_of_a_spawner_on_around_a_place_one_after_the_other(
    tmp_path: Path,
) -> None:
    cue = Cue(at_s=1.0, does=MoveTo(moves="gull", to=(10.0, 9.0)))
    project = few_gulls(cue, waits=True, every_s=1.5)
    assert not [
        each for each in validate(project, BUILTIN) if "gull" in each.message
    ]
    take = read_take(roll(RollOrder(project, "dusk", tmp_path / "wave.take")))
    came = [
        int(np.argmin(np.isnan(take.poses[f"gull_{n}"][:, 0])))
        for n in (1, 2, 3)
    ]
    assert came == [20, 50, 80]
    for n, tick in enumerate(came, 1):
        x, y, _ = take.poses[f"gull_{n}"][tick].tolist()
        assert hypot(x - 10.0, y - 9.0) <= 1.2
    assert take.notices == []


def test_a_cue_for_someone_with_copies_is_done_to_each_of_them(
    tmp_path: Path,
) -> None:
    heard, gone = (
        RaiseEvent(raises="thunder", to="gull"),
        TakeAway(removes="gull"),
    )
    take = read_take(
        roll(
            RollOrder(
                few_gulls(Cue(at_s=1.0, does=heard), Cue(at_s=3.0, does=gone)),
                "dusk",
                tmp_path / "all.take",
            )
        )
    )
    for n in (1, 2, 3):
        assert [each.event for each in take.agents[f"gull_{n}"].received] == [
            "thunder"
        ]
        assert int(np.argmax(np.isnan(take.poses[f"gull_{n}"][:, 0]))) == 60
    assert take.notices == []


def test_a_cue_for_a_group_is_done_to_each_of_it_and_keeps_how_they_stand() -> (
    None
):
    two = (
        Member(
            name="b1",
            start=(4.0, 2.0),
            group="pair",
            body=Body(stats={"health": Stat()}),
        ),
        Member(
            name="b2",
            start=(6.0, 2.0),
            group="pair",
            body=Body(stats={"health": Stat()}),
        ),
    )
    cues = (
        Cue(at_s=0.2, does=MoveTo(moves="pair", to=(10.0, 5.0))),
        Cue(at_s=0.4, does=SetNumber(changes="health", of="pair", value=0.5)),
        Cue(at_s=0.6, does=TakeAway(removes="pair")),
    )
    made = project(row("top", "wait"), cast=two, cues=cues, seconds=1.0)
    assert validate(made, BUILTIN) == []
    take = played(made)
    assert take.notices == []
    assert take.poses["b1"][3, :2].tolist() == [9.0, 5.0]
    assert take.poses["b2"][3, :2].tolist() == [11.0, 5.0]
    for name in ("b1", "b2"):
        assert take.body_numbers[name]["health"].tolist()[3:5] == [1.0, 0.5]
        assert int(np.argmax(np.isnan(take.poses[name][:, 0]))) == 6
    cue = Cue(at_s=0.0, does=SetNumber(changes="thirst", of="pair", value=1.0))
    wrong = project(row("top", "wait"), cast=two, cues=(cue,))
    assert (
        len(
            [
                each
                for each in validate(wrong, BUILTIN)
                if "`thirst`" in each.message
            ]
        )
        == 2
    )
    renamed = rename_used(made, BUILTIN, NamesDocument.GROUP, "pair", "couple")
    assert [concerned(each.does) for each in renamed.scenarios[0].cues] == [
        "couple"
    ] * 3


def test_a_cue_with_a_condition_is_done_each_time_it_comes_true_and_not_while_it_is_so() -> (
    None
):
    alarm = Key(
        name="alarm", type=KeyType.NUMBER, default=0.0, scope=Sharing.WORLD
    )
    levels = [(0.2, 1.0), (0.6, 0.0), (0.9, 2.0)]
    cues = [
        Cue(at_s=at_s, does=SetKey(sets="alarm", value=level))
        for at_s, level in levels
    ]
    made = project(
        row("top", "wait"),
        keys=(alarm,),
        cues=(*cues, Cue(when="alarm > 0", does=RaiseEvent(raises="go"))),
    )
    assert [each.tick for each in played(made).agents["a"].received] == [2, 9]


def test_nothing_in_the_folder_that_a_worker_is_started_in_is_imported(
    tmp_path: Path,
) -> None:
    (tmp_path / "json.py").write_text(
        "import pathlib\npathlib.Path('ran').touch()\n"
    )
    line = order_line(
        7, RollOrder(PROJECT, "dusk", tmp_path / "w.take", None, 0.5)
    )
    assert replies_to([line], tmp_path) == [
        Reply(number=7, take=tmp_path / "w.take")
    ]
    assert not (tmp_path / "ran").exists()
