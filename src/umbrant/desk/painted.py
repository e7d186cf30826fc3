"""What the painted views have in common: when they are painted anew, and how they show that they have the keyboard."""

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QWidget

from umbrant.desk.state import Desk
from umbrant.desk.theme import Palette


def paint_with(desk: Desk, view: QWidget) -> None:
    """Paint a view anew whenever something else is looked at."""
    for changed in (desk.project_changed, desk.take_changed, desk.agent_changed, desk.row_selected):
        changed.connect(view.update)
    desk.playhead_moved.connect(view.update)


def draw_focus(painter: QPainter, view: QWidget, palette: Palette) -> None:
    """A frame around a view that has the keyboard."""
    if view.hasFocus():
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(palette.running, 1))
        painter.drawRect(QRectF(view.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
