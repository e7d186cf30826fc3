"""A first visit in six steps: the newcomer does each with the project that is
open, and can leave at any of them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from umbrant.desk.session.desk import Desk


@dataclass(frozen=True)
class VisitStep:
    """One step of the first visit: its task, how to do it, and the words once
    it is done.
    """

    text: str
    done: str
    actions: tuple[str, ...] = ()
    """The actions any of which does it; none for a step that is told by what
    has changed in the project.
    """
    has_changed: Callable[[Desk, "VisitStart"], bool] = lambda desk, before: (
        False
    )


@dataclass(frozen=True)
class VisitStart:
    """The desk as it was when a step began."""

    rows: int
    take: object
    undo: str | None


def _rolled_anew(desk: Desk, before: VisitStart) -> bool:
    """Whether a chip was set, and the take that came of it is shown."""
    set_ = (desk.documents.history.undo_name or "").startswith(
        "Set "
    ) and desk.documents.history.undo_name != before.undo
    return set_ and desk.takes.current is not before.take and desk.is_current


def _has_more_rows(desk: Desk, before: VisitStart) -> bool:
    return desk.behavior is not None and len(desk.behavior.rows) > before.rows


def _is_branch_shown(desk: Desk, before: VisitStart) -> bool:
    return (
        desk.branched_at is not None and desk.takes.current is not before.take
    )


VISIT_STEPS = (
    VisitStep(
        "This project has been played and recorded. Press <b>Space</b> to watch it, and again to "
        "pause.",
        "What each row did stands to its right, on the tape: tall ran, half succeeded, low "
        "failed or was refused.",
        ("play",),
    ),
    VisitStep(
        "Press <b>N</b> to go to the next moment at which it changed its mind.",
        "The line in the tape, the stage and the blackboard all show that moment.",
        ("next_change",),
    ),
    VisitStep(
        "Select a row with the arrow keys, and press <b>W</b> to ask why, or <b>X</b> why not.",
        "The reasons come from what was recorded, with the numbers on both sides.",
        ("why", "why_not"),
    ),
    VisitStep(
        "Drag a number in a row sideways, or select the row, press <b>C</b> and then <b>Up</b>.",
        "The same seconds were played again at once, and the tape marks what became different.",
        has_changed=_rolled_anew,
    ),
    VisitStep(
        "Press <b>Enter</b>, type <b>wait 2</b> and press <b>Enter</b> again: that adds a row.",
        "Ctrl+Z takes it back.",
        has_changed=_has_more_rows,
    ),
    VisitStep(
        "What if? Press <b>B</b>, type <b>hold 1.1 at failure</b> and press <b>Enter</b>: the take "
        "plays on from here with that done.",
        "<b>D</b> shows both takes in one place. Ctrl+K finds every command, F1 lists the keys, "
        "and Help › First visit begins anew.",
        has_changed=_is_branch_shown,
    ),
)


WAITING = "This project is being played for the first time. What each row does is being recorded."
FAILED = (
    "It could not be played. The Review lists what is in the way (<b>Ctrl+6</b>, and "
    "<b>Enter</b> goes there); this goes on once that is mended."
)


class FirstVisit(QFrame):
    """A line above the lanes that says what to do next, and notices when it
    has been done.
    """

    left = Signal(bool)
    """It was left, or is over; whether it had the keyboard."""

    def __init__(
        self, desk: Desk, actions: Mapping[str, QAction], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setObjectName("firstVisit")
        self.setAccessibleName("First visit")
        self._desk = desk
        self._step = 0
        self._praised = False
        self._waits = False
        """Whether there is no take yet, and so nothing to watch."""
        self._text = QLabel(self)
        self._text.setTextFormat(Qt.TextFormat.RichText)
        self._text.setWordWrap(True)
        self._on = QPushButton("Skip this step", self)
        self._leave = QPushButton("Leave", self)
        for button in (self._on, self._leave):
            # The mouse leaves the keyboard where it is: with the rows.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._on.clicked.connect(self.next_step)
        self._leave.clicked.connect(self.leave)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 5, 8, 5)
        row.addWidget(self._text, 1)
        row.addWidget(self._on)
        row.addWidget(self._leave)
        for action_id in {
            each for step in VISIT_STEPS for each in step.actions
        }:
            actions[action_id].triggered.connect(
                lambda _=False, done=action_id: self._acted(done)
            )
        for changed in (desk.take_changed, desk.project_changed):
            changed.connect(self._changed)
        desk.takes.roller.failed.connect(self._failed)
        self.hide()

    @property
    def step(self) -> int:
        """Which step it is, from 0; as many as there are when it is over."""
        return self._step

    @property
    def text(self) -> str:
        """The text of the present step."""
        return self._text.text()

    def begin(self) -> None:
        """Begin with the first step."""
        self._go_to(0)
        self.show()

    def next_step(self) -> None:
        """Go on to the next step."""
        self._go_to(self._step + 1)

    def leave(self) -> None:
        """End the first visit before its last step."""
        self._step = len(VISIT_STEPS)
        had_keyboard = self._on.hasFocus() or self._leave.hasFocus()
        self.hide()
        self.left.emit(had_keyboard)

    def _go_to(self, step: int) -> None:
        if step >= len(VISIT_STEPS):
            self.leave()
            return
        desk = self._desk
        rows = 0
        if desk.behavior:
            rows = len(desk.behavior.rows)
        self._step, self._praised = step, False
        self._before = VisitStart(
            rows, desk.takes.current, desk.documents.history.undo_name
        )
        self._waits = step == 0 and desk.take is None
        words = VISIT_STEPS[step].text
        if self._waits:
            # A project with something in the way is not even begun with.
            words = WAITING if desk.takes.is_awaited else FAILED
        self._say(
            words,
            "Skip this step",
        )

    def _say(self, text: str, on: str) -> None:
        self._text.setText(
            f"<b>{self._step + 1} of {len(VISIT_STEPS)}</b> &nbsp; {text}"
        )
        self._on.setText(on)

    def _acted(self, action_id: str) -> None:
        if (
            self.isVisible()
            and self._step < len(VISIT_STEPS)
            and action_id in VISIT_STEPS[self._step].actions
        ):
            self._praise()

    def _changed(self) -> None:
        if self._waits and self._desk.take is not None:
            self._go_to(0)
        elif (
            self.isVisible()
            and self._step < len(VISIT_STEPS)
            and VISIT_STEPS[self._step].has_changed(self._desk, self._before)
        ):
            self._praise()

    def _failed(self) -> None:
        if self._waits:
            self._say(FAILED, "Skip this step")

    def _praise(self) -> None:
        if not self._praised:
            self._praised = True
            last = self._step == len(VISIT_STEPS) - 1
            label = "Next"
            if last:
                label = "Done"
            self._say(VISIT_STEPS[self._step].done, label)
