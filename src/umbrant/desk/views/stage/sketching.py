"""Drawing on the stage while setting up: areas and walks are drawn, everything
else is put where the author points.
"""

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

import shapely
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QMenu

from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.desk.views.setting.adding import casting, staging
from umbrant.desk.views.setting.fields import Addition
from umbrant.desk.views.stage.handles import NO_GUIDES
from umbrant.desk.widgets.figures import draw_boxed
from umbrant.model.edits import Edit
from umbrant.model.paths import Path, PathError, add, at, put, remove
from umbrant.model.staging import Area, Blocks, Member, WalkPoint
from umbrant.model.values import Point

if TYPE_CHECKING:
    from umbrant.desk.views.stage.view import StageView

LEAST_M = 0.2
"""An area drawn smaller than this was a click."""
STRIDE_M, SMOOTHED_M = 0.3, 0.15
"""How far apart the points of a walk are noted, and by how much it may be
straightened.
"""
EDGE = 7.0
"""How near to an edge, in pixels, a corner can be put into it."""
AREAS = {
    "Wall: blocks sight and way": ("wall", Blocks.SIGHT_AND_WAY),
    "Water, or a ditch: blocks the way": ("water", Blocks.WAY),
    "Zone: paint on the ground": ("zone", Blocks.NOTHING),
}
WHERE = {"places": "at", "props": "at", "cast": "start"}
"""Which field says where something stands, by the list that it is in."""


class Sketching:
    """What the mouse draws on one stage."""

    def __init__(self, view: "StageView") -> None:
        self._view = view
        self._desk = view.desk
        self._corner: Point | None = None
        self._to: Point = (0.0, 0.0)
        self._walk: list[Point] = []
        self.menu: QMenu | None = None

    @property
    def active(self) -> bool:
        """Whether something is being drawn."""
        return self._corner is not None or bool(self._walk)

    def begin(self, pixel: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        """The mouse went down on empty ground: with Ctrl the chosen puppet's
        walk is drawn, else an area.
        """
        here = self._view.to_stage(pixel)
        puppet = self._puppet()
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            if puppet is None:
                self._desk.message.emit(
                    "To draw a walk, first select the line of a puppet in the setting."
                )
                return
            self._walk = [
                puppet[1].walk[-1].to if puppet[1].walk else puppet[1].start,
                here,
            ]
        else:
            self._corner = self._to = self._view.snapped(here)

    def go_on(self, pixel: QPointF) -> None:
        """Take up a move of the mouse: what is being drawn follows it."""
        here = self._view.to_stage(pixel)
        if self._corner is not None:
            self._to = self._view.snapped(here)
        elif self._walk and _apart(here, self._walk[-1]) >= STRIDE_M:
            self._walk.append(here)
        self._view.update()

    def end(self) -> None:
        """The mouse went up: an area is asked about, a walk is written down."""
        corner, walk = self._corner, self._walk
        self._corner, self._walk = None, []
        self._view.guides = NO_GUIDES
        if (
            corner is not None
            and min(abs(corner[0] - self._to[0]), abs(corner[1] - self._to[1]))
            >= LEAST_M
        ):
            self._ask_area(corner, self._to)
        elif len(walk) > 1:
            self._write_walk(walk)
        self._view.update()

    def offer(self, pixel: QPointF) -> None:
        """Offer what can be put at a place."""
        stage, scenario = self._view.shown_stage(), self._desk.scenario
        if stage is None or scenario is None:
            return
        here = self._view.to_stage(pixel)
        menu = QMenu(self._view)
        menu.setAccessibleName("Put here")
        for path, name, index in self._edges(pixel):
            menu.addAction(
                f"Corner of {name}",
                partial(self._add_corner, path, name, index, here),
            )
        puppet = self._puppet()
        if puppet is not None:
            menu.addAction(
                f"Next point of the walk of {puppet[1].name}",
                partial(self._write_walk, [here]),
            )
        menu.addSeparator()
        for each in staging(("stages", stage.name), stage)[1:]:
            menu.addAction(each.title, partial(self._put, each, here))
        menu.addSeparator()
        for each in casting(("scenarios", scenario.name), self._desk.project):
            menu.addAction(each.title, partial(self._put, each, here))
        self.menu = menu
        menu.popup(self._view.mapToGlobal(pixel.toPoint()))

    def delete(self, path: Path) -> None:
        """Remove what the handle of a path belongs to; of an area that has
        more than three, only the corner.
        """
        try:
            if (
                "corners" in path
                and len(at(self._desk.project, path[:-1])) > 3
            ):
                self._desk.apply(
                    Edit(
                        "Remove the corner",
                        lambda project: remove(project, path),
                    )
                )
                return
            if "corners" in path:
                about = path[:-2]
            else:
                about = path[:-1]
            name = getattr(at(self._desk.project, about), "name", "the point")
            if self._desk.apply(
                Edit(f"Remove {name}", lambda project: remove(project, about))
            ):
                self._desk.message.emit(
                    f"Removed {name}; Ctrl+Z brings it back."
                )
        except PathError as error:
            self._desk.message.emit(f"That cannot be removed: {error}.")

    def paint(self, painter: QPainter) -> None:
        """Draw the wall, area or place that is being sketched."""
        view = self._view
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(view.palette_.now, 1.5, Qt.PenStyle.DashLine))
        if self._corner is not None:
            box = QRectF(
                view.to_pixels(self._corner), view.to_pixels(self._to)
            ).normalized()
            painter.drawRect(box)
            size = (
                f"{abs(self._corner[0] - self._to[0]):.1f} × "
                f"{abs(self._corner[1] - self._to[1]):.1f} m"
            )
            draw_boxed(
                painter,
                view.palette_,
                size,
                box.bottomLeft() + QPointF(0, 20),
                view.width(),
            )
        elif self._walk:
            painter.drawPolyline([view.to_pixels(each) for each in self._walk])

    # inside

    def _puppet(self) -> tuple[Path, Member] | None:
        """The puppet that the setting's line is about, with its path."""
        about = self._view.about
        if len(about) < 4 or about[0] != "scenarios" or about[2] != "cast":
            return None
        try:
            member = at(self._desk.project, about[:4])
        except (KeyError, IndexError):
            # Whom the line was about has left the cast since.
            return None
        if member.behavior is None:
            return (about[:4], member)
        return None

    def _ask_area(self, one: Point, other: Point) -> None:
        left, right = sorted((one[0], other[0]))
        low, high = sorted((one[1], other[1]))
        corners = ((left, low), (right, low), (right, high), (left, high))
        menu = QMenu(self._view)
        menu.setAccessibleName("What the area is")
        for title, (name, blocks) in AREAS.items():
            menu.addAction(
                title, partial(self._add_area, name, blocks, corners)
            )
        self.menu = menu
        menu.popup(
            self._view.mapToGlobal(
                self._view.to_pixels((right, low)).toPoint()
            )
        )

    def _add_area(
        self, name: str, blocks: Blocks, corners: tuple[Point, ...]
    ) -> None:
        stage = self._view.shown_stage()
        if stage is None:
            return
        path: Path = ("stages", stage.name, "areas")
        area = Area(
            name=fresh_name(name, [each.name for each in stage.areas]),
            corners=corners,
            blocks=blocks,
        )
        self._done(
            Edit(
                f"Draw {area.name}", lambda project: add(project, path, area)
            ),
            (*path, len(stage.areas)),
        )

    def _add_corner(
        self, path: Path, name: str, index: int, here: Point
    ) -> None:
        edit = Edit(
            f"Add a corner to {name}",
            lambda project: add(project, (*path, "corners"), here, index),
        )
        self._done(edit, path)

    def _put(self, addition: Addition, here: Point) -> None:
        made, path = addition.add_to(self._desk.project)
        field = WHERE[str(path[-2])]
        made = put(made, (*path, field), here)
        self._done(
            Edit(
                f"Add {addition.title.partition(':')[0].lower()}",
                lambda project: made,
            ),
            path,
        )

    def _write_walk(self, drawn: list[Point]) -> None:
        """Go along what was drawn at the puppet's walking pace, from where its
        walk ends.
        """
        puppet = self._puppet()
        if puppet is None:
            return
        path, member = puppet
        points = list(drawn)
        if len(points) > 2:
            points = [
                (x, y)
                for x, y in shapely.LineString(points)
                .simplify(SMOOTHED_M)
                .coords
            ][1:]
        at_s, last = 0.0, member.start
        if member.walk:
            at_s, last = member.walk[-1].at_s, member.walk[-1].to
        more = []
        for x, y in points:
            at_s += _apart(last, (x, y)) / member.body.walk_m_s
            last = (round(x, 2), round(y, 2))
            more.append(WalkPoint(at_s=round(at_s, 2), to=last))
        walk = (*member.walk, *more)
        edit = Edit(
            f"Draw the walk of {member.name}",
            lambda project: put(project, (*path, "walk"), walk),
        )
        self._done(edit, (*path, "walk", len(walk) - 1))

    def _done(self, edit: Edit, path: Path) -> None:
        try:
            if self._desk.apply(edit):
                self._view.picked.emit(path)
        except PathError as error:
            self._desk.message.emit(f"{edit.name} is not possible: {error}.")

    def _edges(self, pixel: QPointF) -> Iterator[tuple[Path, str, int]]:
        """The areas near whose edge a pixel is, with the place that a corner
        there would have among their corners.
        """
        stage = self._view.shown_stage()
        for number, area in enumerate(stage.areas if stage else ()):
            corners = [
                self._view.to_pixels(each).toTuple() for each in area.corners
            ]
            for index, start in enumerate(corners):
                edge = shapely.LineString(
                    [start, corners[(index + 1) % len(corners)]]
                )
                if (
                    edge.distance(shapely.Point(pixel.toTuple())) <= EDGE
                    and stage is not None
                ):
                    yield (
                        ("stages", stage.name, "areas", number),
                        area.name,
                        index + 1,
                    )
                    break


def _apart(one: Point, other: Point) -> float:
    return float(((one[0] - other[0]) ** 2 + (one[1] - other[1]) ** 2) ** 0.5)
