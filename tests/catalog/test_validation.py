"""Projects that do not hold together: every problem is found, placed, and
comes with a way out.
"""

from pathlib import Path

import pytest
from pydantic import TypeAdapter

from tests.conftest import DEMO
from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from tests.rolling.test_resuming import number_changes, other_changes
from tests.small import key, project, row
from umbrant.catalog.params import Param, ParamType
from umbrant.catalog.validation import ValidationMemory, open_project, validate
from umbrant.model.behaviors import Behavior, Blackboard, Key
from umbrant.model.edits import delete_rows, set_guard, set_kind
from umbrant.model.folder import read_project
from umbrant.model.problems import ProjectError
from umbrant.model.staging import (
    Cue,
    Member,
    Prop,
    RaiseEvent,
    TakeAway,
    WalkPoint,
)
from umbrant.model.values import (
    KeyRef,
    KeyType,
    ParamValue,
    PlaceRef,
    Spread,
)

KEYS = (
    Key(name="spot", type=KeyType.POINT),
    Key(name="n", type=KeyType.NUMBER, low=0, high=1),
    Key(name="temper", type=KeyType.TEXT),
)


def test_the_demo_has_no_problems(demo: Path) -> None:
    assert validate(open_project(demo)) == []


@pytest.mark.parametrize(
    ("broken", "says", "way_out"),
    [
        (
            row("r1", "mvoe_to", "top", target=key("spot")),
            "`mvoe_to` is no kind of node",
            "Did you mean 'move_to'?",
        ),
        (
            row("r1", "move_to", "top", target=key("spto")),
            "`spto` is no key of blackboard 'k'",
            "Did you mean 'spot'?",
        ),
        (
            row("r1", "move_to", "top"),
            "`target` of `move to` is not filled in",
            "It is where to go",
        ),
        (
            row("r1", "move_to", "top", target=key("n")),
            "wants a point or agent or prop",
            "Pick another",
        ),
        (
            row("r1", "move_to", "top", target=key("spot"), pace="hop"),
            "`pace` cannot be 'hop'",
            "walk",
        ),
        (
            row("r1", "move_to", "top", target=key("spot"), reach=-1.0),
            "`reach` is -1",
            "Change it",
        ),
        (
            row("r1", "move_to", "top", target=PlaceRef(place="nook")),
            "`target` cannot be 'nook'",
            "corner",
        ),
        (
            row("r1", "move_to", "top", target=key("spot"), speed=2.0),
            "has no `speed`",
            "There are",
        ),
        (
            row("r1", "wait", "top", duration="long"),
            "`duration` cannot be 'long'",
            'It is how long to wait. Write 2.5 or {"mean": 2, "half_width": 0.5}.',
        ),
        (
            row("r1", "wait", "top", duration=Spread(mean=-1, half_width=0)),
            "`duration` is -1",
            "Change it",
        ),
        (row("r1", "check", "top", when="n <"), "not understood", ""),
        (
            row("r1", "wait", "top", guard="m < 3"),
            "`m` is no key",
            "There are: spot, n, temper.",
        ),
        (
            row("r1", "move_to", "top", target="spot"),
            "`target` cannot be 'spot'",
            'To use the key of that name, write {"key": "spot"}.',
        ),
        (
            row("r1", "wait", "top", duration="n"),
            "`duration` cannot be 'n'",
            'To use the key of that name, write {"key": "n"}.',
        ),
        (
            row("r1", "wait", "top", guard="stat(zest) < 3"),
            "`zest` is no key",
            'If it is a name, put it in quotes: "zest".',
        ),
        (
            row("r1", "wait", "top", guard="temper == wary"),
            "`wary` is no key",
            'If it is a name, put it in quotes: "wary".',
        ),
        (
            row("r1", "wait", "top", decorators=[("cooldwn", {})]),
            "is no decorator",
            "Did you mean 'cooldown'?",
        ),
        (
            row("r1", "wait", "top", upkeep=[("wait", 1.0, {})]),
            "takes time and cannot be upkeep",
            "done at once",
        ),
    ],
)
def test_a_problem_names_the_file_the_row_and_the_way_out(
    broken: object, says: str, way_out: str
) -> None:
    found = validate(project(row("top", "selector"), broken, keys=KEYS))  # type: ignore[arg-type]
    assert len(found) == 1
    assert (found[0].file, found[0].row, found[0].row_id) == (
        "behaviors/b.json",
        "1.1 'r1'",
        "r1",
    )
    assert says in found[0].message
    assert way_out in found[0].remedy


@pytest.mark.parametrize(
    ("binds", "says", "way_out"),
    [
        (
            {"goal": "spot"},
            "`goal` cannot be 'spot'",
            'To use the key of that name, write {"key": "spot"}.',
        ),
        ({"goal": 3.0}, "`goal` cannot be 3.0", "It is a point."),
        (
            {"thing": "held"},
            "`thing` cannot be 'held'",
            'To use the key of that name, write {"key": "held"}.',
        ),
        (
            {"thing": "lmap"},
            "`thing` cannot be 'lmap'",
            "Did you mean 'lamp'?",
        ),
        ({"thing": "lamp"}, "", ""),
        ({"thing": key("held")}, "", ""),
        ({"whom": "a"}, "", ""),
    ],
)
def test_what_the_keys_of_a_used_behavior_are_bound_to(
    binds: dict[str, object], says: str, way_out: str
) -> None:
    inner = Behavior(
        name="inner", title="Inner", blackboard="i", rows=(row("w1", "wait"),)
    )
    board = Blackboard(
        name="i",
        title="I",
        keys=(
            Key(name="goal", type=KeyType.POINT),
            Key(name="thing", type=KeyType.PROP),
            Key(name="whom", type=KeyType.AGENT),
        ),
    )
    made = project(
        row("top", "use_behavior", behavior="inner", binds=binds),
        keys=(*KEYS, Key(name="held", type=KeyType.PROP)),
        behaviors=(inner,),
        blackboards=(board,),
        props=(Prop(name="lamp", group="lamps", at=(1, 1)),),
    )
    found = validate(made)
    assert [each.message for each in found if says not in each.message] == []
    assert bool(found) == bool(says)
    assert all(way_out in each.remedy for each in found)


def test_a_cue_is_called_a_cue_and_a_row_a_row() -> None:
    made = project(
        row("top", "wait", pace="run"),
        cues=(Cue(at_s=1.0, does=TakeAway(removes="nobody")),),
    )
    cue, own = (
        str(
            next(each for each in validate(made) if each.file.startswith(file))
        )
        for file in ("scenarios", "behaviors")
    )
    assert cue.startswith("scenarios/s.json: cue 1: ")
    assert own.startswith("behaviors/b.json: row 1 'top': ")


def test_rows_in_an_action_and_rows_beside_the_first_are_told() -> None:
    found = validate(
        project(
            row("top", "wait"), row("r1", "wait", "top"), row("other", "wait")
        )
    )
    assert [problem.row for problem in found] == ["2 'other'", "1 'top'"]


def test_scenarios_and_boards_are_checked_too() -> None:
    made = project(
        row("top", "wait"),
        keys=(
            Key(name="n", type=KeyType.NUMBER, default=True),
            Key(name="n", type=KeyType.NUMBER),
        ),
        cast=(
            Member(name="a", start=(1, 1)),
            Member(
                name="p",
                start=(1, 1),
                walk=(
                    WalkPoint(at_s=3, to=(2, 2)),
                    WalkPoint(at_s=1, to=(3, 3)),
                ),
            ),
            Member(name="q", start=(1, 1), behavior="c"),
            Member(
                name="z",
                start=(1, 1),
                behavior="b",
                keys={"m": 1.0, "n": "text"},
            ),
        ),
        props=(Prop(name="lamp", group="lamps", at=(1, 1)),),
    )
    made = made.model_copy(
        update={
            "cover": made.cover.model_copy(
                update={"scenario": "t", "format": "other 9"}
            )
        }
    )
    problem_texts = "\n".join(str(problem) for problem in validate(made))
    for part in (
        "`format` is 'other 9'",
        "no scenario 't'",
        "declared twice",
        "the default of `n`",
        "two of the cast are called 'a'",
        "goes back in time",
        "behavior 'c', which is not there",
        "starts with the key `m`",
        "starts with `n` as 'text'",
    ):
        assert part in problem_texts


def test_opening_gathers_the_problems_of_all_files(demo: Path) -> None:
    warden = demo / "behaviors" / "warden.json"
    warden.write_text(
        warden.read_text()
        .replace('"move_to"', '"mvoe_to"', 1)
        .replace('"lamp_oil > 0.7"', '"lamp_ol > 0.7"')
    )
    scenario = demo / "scenarios" / "dusk.json"
    scenario.write_text(
        scenario.read_text().replace('"stage": "quay"', '"stage": "quai"')
    )
    with pytest.raises(ProjectError) as caught:
        open_project(demo)
    problem_texts = [str(problem) for problem in caught.value.problems]
    assert len(problem_texts) == 3
    assert (
        "behaviors/warden.json: row 1.1.1 'Close in': `mvoe_to` is no kind of node. Did you mean "
        "'move_to'?" in problem_texts
    )
    assert any(
        "`lamp_ol` is no key of blackboard 'quay'. Did you mean 'lamp_oil'?"
        in each
        for each in problem_texts
    )
    assert any(
        each.startswith(
            "scenarios/dusk.json: there is no stage 'quai'. Did you mean 'quay'?"
        )
        for each in problem_texts
    )


def test_what_was_found_fine_is_not_looked_at_again_until_something_around_it_changes() -> (
    None
):
    first = project = read_project(DEMO)
    memory: ValidationMemory = {}
    assert validate(project, memory=memory) == []
    for edit in (
        lambda p: set_kind(p, "warden", "chk", "machine", []),
        lambda p: set_guard(p, "warden", "esc", "nobody < 3"),
        lambda p: p.model_copy(update={"blackboards": p.blackboards[1:]}),
        lambda p: delete_rows(p, "dog", [p.behavior("dog").rows[-1].id]),
        lambda p: p.model_copy(update={"stages": ()}),
    ):
        project = edit(project)
        assert validate(project, memory=memory) == validate(project)
    assert validate(first, memory=memory) == []


def test_another_format_is_named_with_the_one_that_is_wanted() -> None:
    made = read_project(DEMO)
    cover = made.cover.model_copy(update={"format": "umbrant project 9"})
    (problem,) = validate(made.model_copy(update={"cover": cover}))
    assert "is 'umbrant project 9', not 'umbrant project 2'" in str(problem)


@pytest.mark.parametrize("seed", range(4))
def test_what_is_remembered_of_a_project_changes_nothing_that_is_found(
    seed: int,
) -> None:
    """Whatever is changed and changed back, also where it breaks something."""
    made = RandomProject(seed).made
    memory: ValidationMemory = {}
    changes = [*number_changes(made), *other_changes(made)]
    for change in changes[:: max(1, len(changes) // 12)]:
        for each in (change(-1000.0), made, change(1.5)):
            assert validate(each, CATALOG, memory) == validate(each, CATALOG)
        fewer = change(1.5)
        for update in (
            {"blackboards": ()},
            {"behaviors": fewer.behaviors[1:]},
            {"scenarios": ()},
        ):
            each = fewer.model_copy(update=update)
            assert validate(each, CATALOG, memory) == validate(each, CATALOG)


def test_a_name_that_nothing_has_comes_with_what_can_be_done() -> None:
    """Also where there is nothing else of its sort to be meant."""
    made = project(
        row("top", "sequence"),
        row("ring", "raise_event", "top", event="horn"),
        row("wait", "wait", "top", duration=key("patience")),
        row("ask", "check", "top", when="courage > 1"),
    )
    scenario = made.scenarios[0].model_copy(
        update={"cues": (Cue(at_s=1.0, does=RaiseEvent(raises="horn")),)}
    )
    said = [
        (each.row_id or "cue", each.remedy)
        for each in validate(made.with_scenario(scenario))
    ]
    event = "Add it to the list of events (events.json)."
    declared = "Declare it on the blackboard."
    assert sorted(said) == [
        ("ask", declared),
        ("cue", event),
        ("ring", event),
        ("wait", declared),
    ]


@pytest.mark.parametrize("type_", ParamType)
def test_what_is_said_to_be_written_is_read_and_fits(type_: ParamType) -> None:
    param = Param("p", type_, "what", keys=tuple(KeyType))
    for written in param.written.split(" or "):
        value = TypeAdapter(ParamValue).validate_json(written)
        assert isinstance(value, KeyRef) or param.takes(value), written
