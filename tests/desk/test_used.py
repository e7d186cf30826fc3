"""Rows of a used behavior, shown inside the one that uses it, are edited there
and changed where they are written.
"""

import pytest
from PySide6.QtCore import Qt

from tests.desk.conftest import Driver
from umbrant.model.behaviors import Behavior

SHIFT = Qt.KeyboardModifier.ShiftModifier
USED = "go-and-stay"


class Hands:
    """Hands on Tam's rows, of which *Go and stay* is used by *Go and sit*."""

    def __init__(self, driver: Driver) -> None:
        self.driver = driver
        self.desk = driver.desk
        self.desk.select_agent("tam")

    @property
    def used(self) -> Behavior:
        return self.desk.project.behavior(USED)

    def do(self, action: str) -> None:
        self.driver.pane.actions_by_id[action].trigger()

    def add_behind(self, row_id: str, typed: str) -> None:
        self.desk.select_row(row_id)
        self.driver.key(Qt.Key.Key_Return, SHIFT)
        self.driver.type(typed)


@pytest.fixture
def hands(quay_driver: Driver) -> Hands:
    return Hands(quay_driver)


def test_a_row_is_added_duplicated_and_pasted_inside_a_used_behavior(
    hands: Hands,
) -> None:
    before = hands.used
    hands.add_behind("tobench/go", "wait")
    added = hands.desk.row_id
    assert added.startswith("tobench/")
    row = hands.used.row(added.removeprefix("tobench/"))
    assert (row.kind, row.under) == ("wait", before.row("go").under)
    assert [each.id for each in hands.used.rows].index(row.id) == [
        each.id for each in hands.used.rows
    ].index("go") + 1
    hands.desk.select_row(added)
    hands.do("duplicate")
    assert len(hands.used.rows) == len(before.rows) + 2
    hands.do("copy")
    hands.do("paste")
    assert len(hands.used.rows) == len(before.rows) + 3
    assert {each.under for each in hands.used.rows[1:]} == {before.rows[0].id}
    assert hands.desk.documents.problems == []
    for _ in range(3):
        hands.desk.documents.undo()
    assert hands.used == before


def test_the_outermost_row_of_a_used_behavior_stands_alone_as_any_does(
    hands: Hands,
) -> None:
    top = f"tobench/{hands.used.rows[0].id}"
    hands.add_behind(top, "wait")
    new = hands.used.row(hands.desk.row_id.removeprefix("tobench/"))
    assert new.under == hands.used.rows[0].id
    before = hands.desk.project
    hands.desk.select_row(top)
    hands.do("duplicate")
    assert hands.desk.project is before
    assert "stands alone" in hands.driver.messages[-1]
