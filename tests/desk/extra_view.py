"""Opens the window with one more view and prints where it is found, as JSON.
Run by itself, since the actions are made from the views as they are imported.
"""

import json
import sys
from pathlib import Path

from PySide6.QtGui import QPainter
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from umbrant.desk.views import registry
from umbrant.desk.views.spec import Side, ViewContext, ViewSpec
from umbrant.desk.widgets.painted import PaintedView
from umbrant.desk.widgets.theme import NIGHT, Palette


class Compass(PaintedView):
    """Shows where north is."""

    def __init__(self, context: ViewContext) -> None:
        super().__init__(context.parent)
        self.palette_ = context.palette
        self.drawn: list[Palette] = []
        self.closed = False

    def heading(self) -> str:
        """Where north is."""
        return "north is up"

    def draw(self, painter: QPainter) -> None:
        self.drawn.append(self.palette_)


def close(view: Compass) -> None:
    view.closed = True


registry.VIEWS += (
    ViewSpec(
        "compass",
        Side.RIGHT,
        "Compass",
        "Show where north is",
        Compass,
        "Ctrl+Alt+N",
        close=close,
    ),
)

from umbrant.desk.window import MainWindow  # noqa: E402

application = QApplication([])
window = MainWindow()
window.open_folder(Path(sys.argv[1]))
pane = window.pane
assert pane is not None
window.show()
view = pane.views.of(Compass)
menu = next(
    each.menu() for each in window.menuBar().actions() if each.text() == "View"
)
entry = next(each for each in menu.actions() if each.text() == "Compass")
pane.actions_by_id["show_compass"].trigger()
heading, shown = (
    pane.right.heading(),
    pane.right.view is view and view.isVisible(),
)
window.set_night(True)
view.grab()
pane.finder.open_commands()
QTest.keyClicks(pane.finder.commands.line, "compass")
offered = [entry.title for entry in pane.finder.commands._shown]
pane.finder.commands.dismiss()
window.close()
print(
    json.dumps(
        {
            "tab": pane.right.buttons["compass"].text(),
            "menu": [
                entry.text(),
                entry.shortcut().toString(),
                entry.statusTip(),
            ],
            "heading": heading,
            "shown": shown,
            "pane": view in pane.panes(),
            "night": view.drawn[-1] is NIGHT,
            "offered": "Compass" in offered,
            "closed": view.closed,
        }
    )
)
