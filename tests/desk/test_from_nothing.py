"""From an empty project to an NPC that patrols, chases, strikes and searches,
by keyboard alone.
"""

from itertools import pairwise

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu

from tests.desk.conftest import Driver
from umbrant.desk.views.machine_table.view import MachineTable
from umbrant.take.record import Outcome, RowRecord

NO, CTRL, ALT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)
SHIFT = Qt.KeyboardModifier.ShiftModifier


class Keyboard:
    """Presses keys in what has the place at the left, and chooses from lists
    by the arrow keys.
    """

    def __init__(self, driver: Driver) -> None:
        self.driver = driver

    @property
    def table(self):  # type: ignore[no-untyped-def]
        return self.driver.pane.command_context.table

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NO) -> None:
        self.driver.key(key, modifier, self.table)

    def type(self, text: str) -> None:
        self.driver.type(text)

    def choose(self, menu: QMenu | None, wanted: str) -> None:
        assert menu is not None
        for _ in range(60):
            self.driver.qtbot.keyClick(menu, Qt.Key.Key_Down)
            if (
                menu.activeAction() is not None
                and menu.activeAction().text().startswith(wanted)
            ):
                self.driver.qtbot.keyClick(menu, Qt.Key.Key_Return)
                return
        listed = [each.text() for each in menu.actions()]
        raise AssertionError(
            f"{wanted} is not in {listed}, {self.table.accessibleDescription()}"
        )

    def chip(self, label: str) -> None:
        self.key(Qt.Key.Key_Escape)
        for _ in range(40):
            self.key(Qt.Key.Key_C)
            if self.table.focused_chip[0].label == label:
                self.key(Qt.Key.Key_Return)
                return
        raise AssertionError(f"{label} is no chip here")

    def write(self, label: str, text: str) -> None:
        self.chip(label)
        self.type(text)

    def pick(self, label: str, wanted: str) -> None:
        self.chip(label)
        self.choose(self.table.editing.menu, wanted)

    def find(self, text: str) -> None:
        self.key(Qt.Key.Key_F, CTRL)
        self.type(text)
        self.table.setFocus()

    def row(self, text: str, name: str = "", *, behind: bool = False) -> None:
        """Add a row from where the keyboard is, and name it."""
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Return, SHIFT if behind else NO)
        self.type(text)
        if name:
            self.key(Qt.Key.Key_Escape)
            self.key(Qt.Key.Key_F2)
            self.type(name)

    def guard(self, when: str) -> None:
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_G)
        self.type(when)
        self.pick("watch", "throughout")

    def add(self, wanted: str) -> None:
        self.key(Qt.Key.Key_Escape)
        self.key(Qt.Key.Key_Return)
        if isinstance(self.table, MachineTable):
            # Enter opens a line to type into, Down in it the list.
            self.driver.qtbot.keyClick(
                self.table.additions.line, Qt.Key.Key_Down
            )
            self.choose(self.table.additions.menu, wanted)
        else:
            self.choose(self.table.menu, wanted)


def set_up(keys: Keyboard) -> None:
    """Keys to remember with, and a visitor with a health that walks by."""
    keys.key(Qt.Key.Key_4, CTRL)
    for name, kind in (("seen", "yes/no"), ("last_seen", "point")):
        keys.find("visitor holds agent")
        keys.add("Key")
        keys.key(Qt.Key.Key_F2)
        keys.type(name)
        keys.pick("type", kind)
    keys.find("visitor is a puppet")
    keys.add("Number of the body")
    keys.find("visitor is a puppet")
    way = (
        (0, "21, 3"),
        (14, "17, 11"),
        (22, "17, 11"),
        (24, "17, 3"),
        (26, "8, 2"),
        (28, "1, 13"),
    )
    for at_s, to in way:
        keys.add("Point of the walk")
        keys.write("when", str(at_s))
        keys.write("where", to)
        keys.find("visitor is a puppet")
    keys.find("A day")
    keys.write("length", "40")


def write_behavior(keys: Keyboard) -> None:
    """Beside the beat that a new project has: fight, and search where it was
    last seen.
    """
    keys.find("Decide")
    keys.row("look out upkeep visitor seen last_seen")
    keys.row("sequence", "Fight")
    keys.key(Qt.Key.Key_Up, ALT)
    keys.guard("seen")
    keys.row("move visitor 1 run", "Close in")
    keys.row("selector", "Blows")
    keys.row("strike visitor 0.1", "Strike")
    keys.row("cooldown decorator 1.5")
    keys.row("wait 0.3", "Breathe")
    keys.find("Fight")
    keys.row("sequence", "Search", behind=True)
    keys.guard("is_set(last_seen)")
    keys.row("move last_seen 0.5", "Go there")
    keys.row("look about 2", "Look about")
    keys.row("clear last_seen", "Forget it")


def begin(driver: Driver) -> Keyboard:
    """A new project, set up, with the keyboard on its rows."""
    driver.key(Qt.Key.Key_N, CTRL)
    driver.until(lambda: driver.desk.is_current)
    keys = Keyboard(driver)
    set_up(keys)
    keys.key(Qt.Key.Key_5, CTRL)
    return keys


def come_to_rest(driver: Driver) -> None:
    """What was written has been played, and nothing is wrong with it."""
    driver.settle()
    assert driver.desk.documents.problems == []
    assert driver.messages == []


def record(driver: Driver, name: str) -> RowRecord:
    row = next(row for row in driver.desk.behavior.rows if row.name == name)
    return driver.desk.explainer.record.row(row.id)


def test_an_npc_is_written_by_keyboard_alone_and_does_what_was_written(
    driver: Driver,
) -> None:
    keys = begin(driver)
    write_behavior(keys)
    come_to_rest(driver)
    invalidate, fight, search = (
        record(driver, "Walk the beat"),
        record(driver, "Fight"),
        record(driver, "Search"),
    )
    strikes = [
        span
        for span in record(driver, "Strike").spans
        if span.outcome is Outcome.SUCCESS
    ]
    assert (
        invalidate.spans[0].start
        < fight.spans[0].start
        < strikes[0].start
        < search.spans[-1].start
    ), "each in its turn"
    assert len(strikes) > 1
    apart = [after.start - before.end for before, after in pairwise(strikes)]  # type: ignore[operator]
    assert min(apart) >= 1.5 * 20, "with a pause between the strikes"
    health = (
        driver.desk.project.scenario("day")
        .member("visitor")
        .body.stats["health"]
        .value
    )
    assert health == 1.0
    went = record(driver, "Go there").spans
    assert any(span.outcome is Outcome.SUCCESS for span in went), (
        "it has been at the last seen place"
    )
    driver.until(
        lambda: not driver.desk.documents.reviewer.busy
    )  # what was found in earlier states is not meant
    assert driver.desk.documents.findings == []


def write_machine(keys: Keyboard) -> None:
    """Patrol, chase, give up: states among the rows, what leads from one to
    the other in the table.
    """
    keys.find("Decide")
    keys.row("machine", "Watch")
    keys.key(Qt.Key.Key_Up, ALT)
    keys.row("state", "Patrol")
    keys.row("move gate 1", "To the gate")
    keys.row("move well 1", "To the well")
    keys.find("Watch")
    keys.row("state", "Chase")
    keys.row("move visitor 0.5 run", "Run after")
    keys.find("Watch")
    keys.row("state", "Give up")
    keys.row("utility", "What now")
    for name, worth, action in (
        ("Catch breath", "0.8", "wait 1"),
        ("Look around", "0.3", "look about 1"),
    ):
        keys.find("What now")
        keys.row("option", name)
        keys.row("consider")
        keys.type(worth)
        keys.row(action)
    keys.key(Qt.Key.Key_8, CTRL)
    for _ in range(2):
        keys.key(Qt.Key.Key_Up)
    for target, when in (
        ("→ Chase", "can_see(visitor)"),
        ("→ Give up", "not can_see(visitor)"),
    ):
        keys.key(Qt.Key.Key_Right)
        keys.add(target)
        keys.type(when)
        keys.key(Qt.Key.Key_Escape)
        keys.key(Qt.Key.Key_Left)
        keys.key(Qt.Key.Key_Down)
    for _ in range(2):
        keys.key(Qt.Key.Key_Right)
    keys.add("→ Patrol")
    keys.write("time", "3")


def test_a_machine_with_a_utility_in_it_is_written_by_keyboard_alone(
    driver: Driver,
) -> None:
    keys = begin(driver)
    write_machine(keys)
    come_to_rest(driver)
    patrol, chase, gave_up = (
        record(driver, name).spans for name in ("Patrol", "Chase", "Give up")
    )
    assert (
        patrol[0].start < chase[0].start < gave_up[0].start < patrol[1].start
    ), "each in its turn"
    assert gave_up[0].end - gave_up[0].start == 3 * 20
    assert record(driver, "Catch breath").spans
    assert not record(driver, "Look around").spans
