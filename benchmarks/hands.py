"""Tasks of practitioners, built through the real window from a new project,
and how many presses of a key each takes.

A script is written as the guide is: keys in **bold**, what is typed in `code`;
what stands in {braces} is a list that is written elsewhere and put on the
clipboard, and counts as if typed.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from benchmarks.figure import Figure
from umbrant.desk.session.settings import Settings
from umbrant.desk.window import MainWindow

_TOKEN = re.compile(
    r"\*\*(?P<key>[^*]+)\*\*|`(?P<text>[^`]+)`|\{(?P<list>[^}]+)\}"
)
PAUSE_MS = 80
"""What opens after a key opens within this time."""

NUMBER_OF_VISITOR = (
    "**Ctrl+4** **Ctrl+F** `visitor is` **Enter** **Enter** **Down** **Enter** "
    "**Ctrl+5** **Home** "
)


@dataclass(frozen=True)
class Task:
    """Something to build, and by which rows it is known that it has been."""

    name: str
    script: str
    kinds: tuple[str, ...]
    """The kinds of rows that must be there in the end, in the order of the
    outline.
    """
    most: int = 250
    """How many presses it may take."""


TASKS = (
    Task(
        "an NPC that patrols, chases, strikes, searches and gives up",
        "**Enter** `look out up` **Tab** ` v` **Tab** ` seen spot` **Enter** "
        "**Enter** `when spot is set: go spot; scan; cl` **Tab** ` spot` **Enter** "
        "**Home** **Enter** `whenever see v` **Tab** `: chase v` **Tab** ` 1; str` **Tab** ` v` "
        "**Tab** `; wait 1.5` **Enter**",
        (
            "move_to",
            "strike",
            "wait",
            "move_to",
            "look_about",
            "clear",
            "move_to",
        ),
        most=119,
    ),
    Task(
        "a rhythm of strikes with a pause between them",
        NUMBER_OF_VISITOR
        + "**Enter** `chase visitor 1 then strike visitor` **Enter** **Down** **Enter** "
        "`cooldown decorator 1.5` **Enter** **Up** **Up** **Alt+Up**",
        ("move_to", "strike"),
    ),
    Task(
        "three bands by distance, as a tree",
        NUMBER_OF_VISITOR + "**Enter** `three bands` **Enter** **Escape**",
        ("strike",),
    ),
    Task(
        "three bands by distance, as a machine in its table",
        "**Enter** `machine` **Enter** **Alt+Up** **Ctrl+8** **Enter** `Idle` **Enter** `Near` "
        "**Enter** `Strike` **Enter** **Escape** **Up** **Up** "
        "**Right** **Enter** `distance to visitor < 9 -> Near` **Enter** **Down** "
        "**Enter** `distance to visitor < 2 -> Strike` **Enter** "
        "**Enter** `distance to visitor > 10 -> Idle` **Enter** **Down** "
        "**Enter** `distance to visitor > 3 -> Near` **Enter**",
        ("machine", "state", "when", "state", "when", "when", "state", "when"),
    ),
    Task(
        "a utility that chooses among needs",
        "**Enter** `utility for` **Enter** **Escape**",
        ("utility", "option", "option", "option"),
    ),
    Task(
        "a squad that follows its leader and fights",
        NUMBER_OF_VISITOR
        + "**Enter** `follow the` **Enter** **Escape** **Home** **Enter** `circle and` **Enter** "
        "**Escape** **Up** **Alt+Up** **Alt+Up** **G** `can see visitor within 6, take over` "
        "**Enter**",
        ("keep_ring", "strike", "follow"),
    ),
    Task(
        "a worker with twelve needs",
        "**Ctrl+4** **Ctrl+F** `guard is` **Enter** "
        "{hunger 0..1 +0.01/s, thirst 0..1 +0.02/s, tired 0..1 +0.01/s, cold, fear, bored, dirt, "
        "pain, lonely, angry, greed, energy} "
        "**Ctrl+V** **Ctrl+5** **Home** **Enter** `utility` **Enter** **Enter** "
        "{options hunger, thirst, tired, cold, fear, bored, dirt, pain, lonely, angry, greed, "
        "energy} "
        "**Ctrl+V** **Enter**",
        ("utility", *("option", "consider") * 12),
    ),
    Task(
        "surround and strike, never all at once",
        NUMBER_OF_VISITOR
        + "**Enter** `circle and` **Enter** **Escape** **Down** **G** "
        "`others in Go in of guards < 2` **Enter**",
        ("keep_ring", "move_to", "strike"),
    ),
)


def actions_of(script: str) -> list[tuple[str, str]]:
    """What a script does: pairs of 'key', 'text' or 'list' and what is
    pressed, typed or pasted.
    """
    return [
        (str(found.lastgroup), str(found[str(found.lastgroup)]))
        for found in _TOKEN.finditer(script)
    ]


def presses(script: str) -> int:
    """How many presses a script takes: one for a key with all that is held,
    one for each letter.
    """
    return sum(
        1 if sort == "key" else len(what) for sort, what in actions_of(script)
    )


def perform(script: str) -> None:
    """Press and type what a script says, in whatever has the keyboard."""
    for sort, what in actions_of(script):
        target = QApplication.activePopupWidget() or QApplication.focusWidget()
        if target is None:
            raise LookupError(f"nothing has the keyboard at {what!r}")
        if sort == "list":
            QGuiApplication.clipboard().setText(what)
        elif sort == "text":
            QTest.keyClicks(target, what)
        else:
            (combination,) = QKeySequence(what.replace("Enter", "Return"))
            QTest.keyClick(
                target, combination.key(), combination.keyboardModifiers()
            )
        QTest.qWait(PAUSE_MS)


def hands_figures(settings: Settings) -> Iterator[Figure]:
    """How many presses each task takes, and whether what was built is there."""
    window = MainWindow(settings)
    window.resize(1280, 800)
    window.show()
    for task in TASKS:
        window.new_project()
        window.desk.documents.history.saved = window.desk.project
        assert window.pane is not None
        window.pane.ledger.setFocus(Qt.FocusReason.OtherFocusReason)
        QTest.qWait(PAUSE_MS)
        perform(f"**Home** {task.script}")
        built = is_built(task, window)
        window.desk.documents.history.saved = window.desk.project
        count = f"{presses(task.script)} presses"
        yield Figure(
            task.name,
            count,
            f"at most {task.most}",
            "" if built else "it is not what was meant",
        )
    window.close()


def is_built(task: Task, window: MainWindow) -> bool:
    """Whether the rows of a task are there, in their order, and nothing is
    wrong with them.
    """
    behavior = window.desk.behavior
    if behavior is None or window.desk.documents.problems:
        return False
    found = iter(row.kind for row in behavior.rows)
    return all(kind in found for kind in task.kinds)
