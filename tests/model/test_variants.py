"""Editing a variant: what differs becomes overrides, and what does not follows the original."""

from collections.abc import Callable

import pytest

from tests.small import project, row
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Slot,
    add_decorator,
    delete_rows,
    home,
    insert_row,
    move_row,
    rename_row,
    row_of,
    set_guard,
    set_muted,
    set_value,
    unnest_row,
)
from umbrant.model.whole import resolved

VARIANT = Behavior(name="v", title="V", blackboard="k", variant_of="b")
ROWS = (
    row("ss", "selector"),
    row("aa", "wait", "ss", duration=1.0, guard="yes"),
    row("qq", "sequence", "ss"),
    row("bb", "wait", "qq", duration=2.0),
    row("cc", "wait", "qq", duration=3.0),
)
MADE = project(*ROWS, behaviors=(VARIANT,))

EDITS: dict[str, Callable[[Project, str], Project]] = {
    "value": lambda p, b: set_value(p, b, Slot("aa", "", "duration"), 9.0),
    "default": lambda p, b: set_value(p, b, Slot("aa", "", "duration"), None),
    "mute": lambda p, b: set_muted(p, b, ["bb"], True),
    "guard": lambda p, b: set_guard(p, b, "bb", "no"),
    "no guard": lambda p, b: set_guard(p, b, "aa", ""),
    "name": lambda p, b: rename_row(p, b, "cc", "Long"),
    "decorator": lambda p, b: add_decorator(p, b, "qq", "invert"),
    "insert": lambda p, b: insert_row(p, b, Row(id="nn", kind="wait"), after="bb", under="qq"),
    "delete": lambda p, b: delete_rows(p, b, ["bb"]),
    "move": lambda p, b: move_row(p, b, "cc", -1),
}


@pytest.mark.parametrize("name", EDITS)
def test_an_edit_of_a_variant_does_to_it_what_it_does_to_its_original(name: str) -> None:
    edit = EDITS[name]
    on_original, on_variant = edit(MADE, "b"), edit(MADE, "v")
    assert resolved(on_variant, "v").rows == on_original.behavior("b").rows
    assert on_variant.behavior("b") == MADE.behavior("b")
    assert on_variant.behavior("v").rows == ()
    assert on_variant.behavior("v").overrides


def test_what_is_not_overridden_follows_the_original() -> None:
    changed = set_value(MADE, "v", Slot("aa", "", "duration"), 9.0)
    later = set_value(changed, "b", Slot("cc", "", "duration"), 7.0)
    assert row_of(later, "v", "cc").args["duration"] == 7.0
    assert row_of(later, "v", "aa").args["duration"] == 9.0
    assert [each.row for each in later.behavior("v").overrides] == ["aa"]


def test_going_back_to_what_the_original_says_takes_the_override_away() -> None:
    changed = set_value(MADE, "v", Slot("aa", "", "duration"), 9.0)
    assert set_value(changed, "v", Slot("aa", "", "duration"), 1.0).behavior("v").overrides == ()


def test_a_row_of_a_used_behavior_is_edited_where_it_is_written() -> None:
    user = Behavior(name="u", title="U", blackboard="k", rows=(row("use", "use_behavior", behavior="v"),))
    made = project(*ROWS, behaviors=(VARIANT, user))
    assert home(made, "u", "use/aa") == ("v", "aa")
    changed = set_value(made, "u", Slot("use/aa", "", "duration"), 4.0)
    assert changed.behavior("v").overrides[0].args == {"duration": 4.0}
    assert row_of(changed, "u", "use/aa").args["duration"] == 4.0
    assert changed.behavior("u") == made.behavior("u")


def test_a_row_that_the_original_moves_out_of_a_replaced_branch_is_not_there_twice() -> None:
    replaced = delete_rows(MADE, "v", ["bb"])
    assert replaced.behavior("v").overrides
    moved = unnest_row(replaced, "b", "cc")
    rows = [each.id for each in resolved(moved, "v").rows]
    assert sorted(set(rows)) == sorted(rows)
    assert "cc" in rows
