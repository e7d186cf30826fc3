"""Edits: each does what it says and nothing else, and none can make a project
that does not load.
"""

from hypothesis import given
from hypothesis import strategies as st

from tests.small import key, project, row
from umbrant.model import edits
from umbrant.model.behaviors import Key, Row, Watch
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, parse_project
from umbrant.model.parts import Slot
from umbrant.model.values import KeyType


def tree() -> Project:
    return project(
        row("top", "selector"),
        row("r1", "sequence", "top"),
        row("r11", "wait", "r1"),
        row("r12", "wait", "r1"),
        row(
            "r2",
            "wait",
            "top",
            guard="yes",
            decorators=[("invert", {}), ("cooldown", {})],
        ),
        row("r3", "wait", "top"),
    )


def shape(made: Project) -> list[str]:
    outline = made.behavior("b").outline
    return [f"{number} {row_id}" for row_id, number in outline.number.items()]


def test_nesting_puts_a_row_last_into_the_sibling_before_it() -> None:
    assert shape(edits.nest_row(tree(), "b", "r2")) == [
        "1 top",
        "1.1 r1",
        "1.1.1 r11",
        "1.1.2 r12",
        "1.1.3 r2",
        "1.2 r3",
    ]
    assert edits.nest_row(tree(), "b", "r1") == tree()


def test_un_nesting_puts_a_row_behind_the_one_it_was_in() -> None:
    assert shape(edits.unnest_row(tree(), "b", "r11")) == [
        "1 top",
        "1.1 r1",
        "1.1.1 r12",
        "1.2 r11",
        "1.3 r2",
        "1.4 r3",
    ]
    assert edits.unnest_row(tree(), "b", "r1") == tree()


def test_nesting_and_un_nesting_keeps_what_is_inside() -> None:
    nested = edits.nest_row(edits.move_row(tree(), "b", "r1", 1), "b", "r1")
    assert shape(nested) == [
        "1 top",
        "1.1 r2",
        "1.1.1 r1",
        "1.1.1.1 r11",
        "1.1.1.2 r12",
        "1.2 r3",
    ]


def test_moving_swaps_a_row_with_all_in_it_with_its_neighbour() -> None:
    assert shape(edits.move_row(tree(), "b", "r1", 1)) == [
        "1 top",
        "1.1 r2",
        "1.2 r1",
        "1.2.1 r11",
        "1.2.2 r12",
        "1.3 r3",
    ]
    assert shape(edits.move_row(tree(), "b", "r3", -1))[-2:] == [
        "1.2 r3",
        "1.3 r2",
    ]
    assert edits.move_row(tree(), "b", "r1", -1) == tree()


def test_deleting_takes_what_is_inside_with_it() -> None:
    assert shape(edits.delete_rows(tree(), "b", ["r1"])) == [
        "1 top",
        "1.1 r2",
        "1.2 r3",
    ]


def test_a_row_is_inserted_after_its_sibling_and_what_is_in_that() -> None:
    new = Row(id="new", kind="wait")
    assert (
        shape(edits.insert_row(tree(), "b", new, after="r1", under="top"))[4]
        == "1.2 new"
    )
    assert (
        shape(edits.insert_row(tree(), "b", new, after=None, under="r1"))[2]
        == "1.1.1 new"
    )


def test_values_go_into_the_part_of_the_row_they_belong_to() -> None:
    made = edits.set_value(tree(), "b", Slot("r2", "", "duration"), 2.0)
    made = edits.set_value(
        made, "b", Slot("r2", "decorator 1", "duration"), 3.0
    )
    found = made.behavior("b").row("r2")
    assert found.args == {"duration": 2.0}
    assert [decorator.args for decorator in found.decorators] == [
        {},
        {"duration": 3.0},
    ]
    assert (
        edits.set_value(made, "b", Slot("r2", "", "duration"), None)
        .behavior("b")
        .row("r2")
        .args
        == {}
    )


def test_guards_decorators_and_upkeep_can_be_put_on_and_taken_off() -> None:
    made = edits.set_guard(tree(), "b", "r3", "no", Watch.THROUGHOUT)
    made = edits.add_decorator(made, "b", "r3", "invert")
    made = edits.add_upkeep(made, "b", "r3", "clear")
    made = edits.set_moment(made, "b", Slot("r3", "upkeep 0", "every"), 0.01)
    found = made.behavior("b").row("r3")
    assert found.guard is not None
    assert (found.guard.when, found.guard.watch) == ("no", Watch.THROUGHOUT)
    assert (
        found.decorators[0].kind,
        found.upkeep[0].kind,
        found.upkeep[0].every_s,
    ) == (
        "invert",
        "clear",
        0.05,
    )
    for part in ("guard", "decorator 0", "upkeep 0"):
        made = edits.remove_part(made, "b", "r3", part)
    assert made == tree()


def test_a_declared_key_takes_the_place_of_the_one_with_its_name() -> None:
    made = edits.declare_key(tree(), "k", Key(name="n", type=KeyType.NUMBER))
    made = edits.declare_key(made, "k", Key(name="n", type=KeyType.TEXT))
    assert [each.type for each in made.blackboard("k").keys] == [KeyType.TEXT]


CHANGES = st.sampled_from(
    [
        "nest",
        "unnest",
        "up",
        "down",
        "delete",
        "insert",
        "mute",
        "rename",
        "guard",
        "set",
    ]
)


@given(st.lists(st.tuples(CHANGES, st.integers(0, 30)), max_size=25))
def test_any_edits_leave_a_project_that_loads_and_is_the_same_after_loading(
    steps: list[tuple[str, int]],
) -> None:
    made = tree()
    for name, pick in steps:
        rows = made.behavior("b").rows
        if not rows:
            break
        made = apply(made, name, rows[pick % len(rows)].id)
        assert parse_project(document_texts(made)) == made


def apply(made: Project, name: str, row_id: str) -> Project:
    match name:
        case "nest":
            return edits.nest_row(made, "b", row_id)
        case "unnest":
            return edits.unnest_row(made, "b", row_id)
        case "up" | "down":
            return edits.move_row(
                made, "b", row_id, 1 if name == "down" else -1
            )
        case "delete":
            return edits.delete_rows(made, "b", [row_id])
        case "insert":
            new = Row(id=edits.fresh_id(made.behavior("b")), kind="wait")
            return edits.insert_row(made, "b", new, after=None, under=row_id)
        case "mute":
            return edits.set_muted(made, "b", [row_id], True)
        case "rename":
            return edits.rename_row(made, "b", row_id, "another")
        case "guard":
            return edits.set_guard(made, "b", row_id, "yes")
    return edits.set_value(made, "b", Slot(row_id, "", "duration"), key("n"))
