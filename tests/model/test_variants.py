"""Editing a variant: what differs becomes overrides, and what does not follows
the original.
"""

from collections.abc import Callable

import pytest

from tests.small import played, project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.renaming.keys import rename_key
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.catalog.validation import validate
from umbrant.model.behaviors import Behavior, Blackboard, Key, Row
from umbrant.model.documents import Project
from umbrant.model.edits import (
    add_decorator,
    delete_rows,
    follow_original,
    home,
    insert_row,
    move_row,
    rename_row,
    row_of,
    set_guard,
    set_muted,
    set_note,
    set_value,
    unnest_row,
)
from umbrant.model.expanded import resolve_variant
from umbrant.model.parts import Slot
from umbrant.model.staging import Body, Member, Stat
from umbrant.model.values import KeyType
from umbrant.model.variants import is_overridden, override_of

VARIANT = Behavior(name="v", title="V", blackboard="k", variant_of="b")
ROWS = (
    row("ss", "selector"),
    row("aa", "wait", "ss", duration=1.0, guard="yes"),
    row("qq", "sequence", "ss"),
    row("bb", "wait", "qq", duration=2.0),
    row("cc", "wait", "qq", duration=3.0),
    row(
        "uu",
        "use_behavior",
        "ss",
        behavior="o",
        binds={"near": 1.0, "far": 2.0},
    ),
)
OTHER = Behavior(
    name="o", title="O", blackboard="j", rows=(row("oo", "wait"),)
)
BOARD = Blackboard(
    name="j",
    title="J",
    keys=tuple(
        Key(name=each, type=KeyType.NUMBER) for each in ("near", "far")
    ),
)
MADE = project(*ROWS, behaviors=(VARIANT, OTHER), blackboards=(BOARD,))

EDITS: dict[str, Callable[[Project, str], Project]] = {
    "value": lambda p, b: set_value(p, b, Slot("aa", "", "duration"), 9.0),
    "default": lambda p, b: set_value(p, b, Slot("aa", "", "duration"), None),
    "mute": lambda p, b: set_muted(p, b, ["bb"], True),
    "guard": lambda p, b: set_guard(p, b, "bb", "no"),
    "no guard": lambda p, b: set_guard(p, b, "aa", ""),
    "name": lambda p, b: rename_row(p, b, "cc", "Long"),
    "decorator": lambda p, b: add_decorator(p, b, "qq", "invert"),
    "insert": lambda p, b: insert_row(
        p, b, Row(id="nn", kind="wait"), after="bb", under="qq"
    ),
    "delete": lambda p, b: delete_rows(p, b, ["bb"]),
    "note": lambda p, b: set_note(p, b, "cc", "a long one"),
    "bind": lambda p, b: set_value(p, b, Slot("uu", "binds", "far"), 3.0),
    "unbind": lambda p, b: set_value(p, b, Slot("uu", "binds", "far"), None),
    "move": lambda p, b: move_row(p, b, "cc", -1),
}


@pytest.mark.parametrize("name", EDITS)
def test_an_edit_of_a_variant_does_to_it_what_it_does_to_its_original(
    name: str,
) -> None:
    edit = EDITS[name]
    on_original, on_variant = edit(MADE, "b"), edit(MADE, "v")
    assert (
        resolve_variant(on_variant, "v").rows == on_original.behavior("b").rows
    )
    assert on_variant.behavior("b") == MADE.behavior("b")
    assert on_variant.behavior("v").rows == ()
    assert on_variant.behavior("v").overrides


def test_what_is_not_overridden_follows_the_original() -> None:
    changed = set_value(MADE, "v", Slot("aa", "", "duration"), 9.0)
    later = set_value(changed, "b", Slot("cc", "", "duration"), 7.0)
    assert row_of(later, "v", "cc").args["duration"] == 7.0
    assert row_of(later, "v", "aa").args["duration"] == 9.0
    assert [each.row for each in later.behavior("v").overrides] == ["aa"]


def test_what_a_used_behaviors_key_is_bound_to_is_overridden_by_itself() -> (
    None
):
    changed = set_value(MADE, "v", Slot("uu", "binds", "far"), 3.0)
    override = override_of(changed.behavior("v"), "uu")
    assert override is not None
    assert (override.binds, override.instead) == ({"far": 3.0}, ())
    assert is_overridden(override, "binds", "far")
    assert not is_overridden(override, "binds", "near")
    later = set_value(changed, "b", Slot("uu", "binds", "near"), 1.5)
    assert row_of(later, "v", "uu").binds == {"near": 1.5, "far": 3.0}
    followed = follow_original(changed, "v", "uu", Slot("uu", "binds", "far"))
    assert followed.behavior("v").overrides == ()
    renamed = rename_key(changed, BUILTIN, "j", "far", "away")
    assert renamed.behavior("v").overrides[0].binds == {"away": 3.0}
    assert renamed.behavior("v").overrides[0].args == {}


def test_a_muted_use_of_a_behavior_says_of_each_chip_whether_it_is_otherwise() -> (
    None
):
    muted = set_muted(MADE, "v", ["uu"], True)
    override = override_of(muted.behavior("v"), "uu")
    assert override is not None
    assert not is_overridden(override, "binds", "far")


def test_going_back_to_what_the_original_says_takes_the_override_away() -> (
    None
):
    changed = set_value(MADE, "v", Slot("aa", "", "duration"), 9.0)
    assert (
        set_value(changed, "v", Slot("aa", "", "duration"), 1.0)
        .behavior("v")
        .overrides
        == ()
    )


def test_a_row_of_a_used_behavior_is_edited_where_it_is_written() -> None:
    user = Behavior(
        name="u",
        title="U",
        blackboard="k",
        rows=(row("use", "use_behavior", behavior="v"),),
    )
    made = project(*ROWS, behaviors=(VARIANT, user))
    assert home(made, "u", "use/aa") == ("v", "aa")
    changed = set_value(made, "u", Slot("use/aa", "", "duration"), 4.0)
    assert changed.behavior("v").overrides[0].args == {"duration": 4.0}
    assert row_of(changed, "u", "use/aa").args["duration"] == 4.0
    assert changed.behavior("u") == made.behavior("u")


def test_a_row_that_the_original_moves_out_of_a_replaced_branch_is_not_there_twice() -> (
    None
):
    replaced = delete_rows(MADE, "v", ["bb"])
    assert replaced.behavior("v").overrides
    moved = unnest_row(replaced, "b", "cc")
    rows = [each.id for each in resolve_variant(moved, "v").rows]
    assert sorted(set(rows)) == sorted(rows)
    assert "cc" in rows


def bodied(name: str, behavior: str, **health: float) -> Member:
    """One of the cast with a health."""
    return Member(
        name=name,
        behavior=behavior,
        start=(5, 5),
        body=Body(stats={"health": Stat(**health)}),
    )


def with_health(**stats: float) -> Project:
    """A project in which `a` has the original, and `z` a variant of it that
    begins so.
    """
    variant = VARIANT.model_copy(update={"stats": stats})
    cast = (
        bodied("a", "b", value=50.0, high=100.0),
        bodied("z", "v", value=50.0, high=100.0),
    )
    made = project(
        row("ww", "wait", duration=9.0), behaviors=(variant,), seconds=0.5
    )
    scenario = made.scenarios[0].model_copy(update={"cast": cast})
    return made.model_copy(update={"scenarios": (scenario,)})


def test_a_variant_begins_with_other_numbers_of_the_body() -> None:
    take = played(with_health(health=80.0))
    begins = [
        float(take.body_numbers[name]["health"][0]) for name in ("a", "z")
    ]
    assert begins == [50.0, 80.0]


def test_the_nearest_variant_says_what_a_number_begins_at() -> None:
    made = with_health(health=80.0, speed=2.0)
    further = Behavior(
        name="w",
        title="W",
        blackboard="k",
        variant_of="v",
        stats={"health": 9.0},
    )
    made = made.model_copy(update={"behaviors": (*made.behaviors, further)})
    assert made.stats_of("w") == {"health": 9.0, "speed": 2.0}
    assert made.stats_of("b") == made.stats_of(None) == {}
    circle = made.behavior("v").model_copy(update={"variant_of": "w"})
    around = made.model_copy(
        update={"behaviors": (made.behavior("b"), circle, further)}
    )
    assert around.stats_of("w") == {"health": 9.0, "speed": 2.0}


def test_numbers_that_no_body_has_or_that_are_out_of_range_are_told() -> None:
    assert [
        str(each) for each in validate(with_health(health=80.0), BUILTIN)
    ] == []
    out = [str(each) for each in validate(with_health(health=101.0), BUILTIN)]
    assert out == [
        "behaviors/v.json: it begins 'health' at 101, and that of 'z' goes from 0 to 100. "
        "Write a number in between, or widen the range."
    ]
    lacks = [str(each) for each in validate(with_health(helth=8.0), BUILTIN)]
    assert lacks == [
        "behaviors/v.json: it begins 'helth' at 8, which the body of 'z' lacks. "
        "Did you mean 'health'?"
    ]


def test_a_number_that_is_renamed_is_renamed_in_variants() -> None:
    made = rename_used(
        with_health(health=80.0),
        BUILTIN,
        NamesDocument.STAT,
        "health",
        "vigour",
    )
    assert made.behavior("v").stats == {"vigour": 80.0}
