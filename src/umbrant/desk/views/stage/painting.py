"""How the stage is drawn at one moment: the ground, what stands and moves on
it, and the names of it all.

Plain functions of a `StageLook`, which says all that is to be seen.
`stage_look` makes one.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QLineF, QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from umbrant.desk.views.stage.candidates import CandidateMark
from umbrant.desk.views.stage.ground_painting import (
    paint_ground,
    paint_off_limits,
)
from umbrant.desk.views.stage.handles import NO_GUIDES, Guides
from umbrant.desk.views.stage.heard import EventLine, NoiseRing
from umbrant.desk.views.stage.rings import Ring
from umbrant.desk.views.stage.sides import TwoSides
from umbrant.desk.widgets.figures import (
    LEAST_BODY,
    box_for,
    draw_body,
    draw_boxed,
    draw_chosen,
    draw_prop,
)
from umbrant.desk.widgets.labels import Labels
from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.staging import Stage
from umbrant.model.values import Point

BAR = 7.0
"""Half the length, in pixels, of the bar where a line of sight is cut off."""
BEST = 9.0
"""The radius, in pixels, of the ring around the best of an option's
candidates.
"""
DOT = 3.0
"""The radius of an event on its way."""
HANDLE = 5.0
PROP = 5.0
CROSS = 3.0
"""How large, in pixels, a handle, a prop and half the cross of a place are
drawn.
"""


@dataclass(frozen=True)
class Projection:
    """Where the places of a stage are drawn: metres with y up become pixels
    with y down.
    """

    scale: float
    """Pixels a metre."""
    left: float
    bottom: float
    """Where the stage's (0, 0) is drawn."""

    def to_pixels(self, place: Point) -> QPointF:
        """Where a place is drawn."""
        return QPointF(
            self.left + place[0] * self.scale,
            self.bottom - place[1] * self.scale,
        )

    def to_size(self, metres: float) -> float:
        """How many pixels a length is drawn with."""
        return metres * self.scale


@dataclass(frozen=True)
class Square:
    """A point that can be dragged."""

    at: Point
    chosen: bool


@dataclass(frozen=True)
class StandingLook:
    """What does not move by itself: the stage, the puppets' walks, and what
    can be dragged.
    """

    stage: Stage
    walks: tuple[tuple[Point, ...], ...]
    squares: tuple[Square, ...]
    off_limits_for_m: float | None
    """The radius of the bodies for which it is hatched where they cannot be;
    None for no hatching.
    """
    handled: bool
    """Whether squares are drawn as large as they are to be taken hold of."""


@dataclass(frozen=True)
class BodyFigure:
    """One of the cast. `lead` is an index among the palette's colours; None
    for what nothing leads.
    """

    at: Point
    heading_deg: float
    radius_m: float
    puppet: bool
    lead: int | None
    followed: bool
    said: str
    label: str
    """What is written beside it; empty for nothing."""


@dataclass(frozen=True)
class BodyOutline:
    """Where a body is in the other take, and where in the one that is shown;
    None if it is not on the stage there.
    """

    at: Point
    radius_m: float
    shown_at: Point | None


@dataclass(frozen=True)
class PropFigure:
    """A prop that is there."""

    at: Point
    level: float
    drains: bool


@dataclass(frozen=True)
class Cone:
    """What an agent can see, straight ahead."""

    at: Point
    heading_deg: float
    sight_m: float
    cone_deg: float


@dataclass(frozen=True)
class StageLook:
    """All that moves on a stage at one moment, and what the selected row is
    about.
    """

    things: tuple[PropFigure, ...] = ()
    figures: tuple[BodyFigure, ...] = ()
    """Whoever is followed last."""
    rings: tuple[Ring, ...] = ()
    sides: tuple[TwoSides, ...] = ()
    way: tuple[Point, ...] = ()
    """From the body on; empty without a way."""
    cone: Cone | None = None
    outlines: tuple[BodyOutline, ...] = ()
    """Where bodies are in the take that this one is compared with."""
    noises: tuple[NoiseRing, ...] = ()
    events: tuple[EventLine, ...] = ()
    candidates: tuple[CandidateMark, ...] = ()
    """For whom the selected option is scored."""
    guides: Guides = NO_GUIDES
    rehearsed_s: float | None = None
    """How long a rehearsal has been going on; None if there is none."""


def paint_standing(
    painter: QPainter,
    standing: StandingLook,
    projection: Projection,
    palette: Palette,
) -> list[QRectF]:
    """Draw what does not move by itself. Returns where names have been
    written.
    """
    painter.setFont(body_font(11))
    written = paint_ground(
        painter, standing.stage, palette, projection.to_pixels
    )
    if standing.off_limits_for_m is not None:
        paint_off_limits(
            painter,
            standing.stage,
            standing.off_limits_for_m,
            palette,
            projection.to_pixels,
        )
    line = QColor(palette.dim)
    line.setAlphaF(0.55)
    painter.setPen(QPen(line, 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for walk in standing.walks:
        painter.drawPolyline([projection.to_pixels(point) for point in walk])
    for square in standing.squares:
        if square.chosen:
            painter.setPen(QPen(palette.now, 2))
        else:
            painter.setPen(QPen(palette.dim, 1))
        painter.setBrush(palette.sheet)
        if standing.handled or square.chosen:
            size = HANDLE
        else:
            size = HANDLE / 2
        at = projection.to_pixels(square.at)
        painter.drawRect(
            QRectF(at.x() - size / 2, at.y() - size / 2, size, size)
        )
    return written


def paint_moving(
    painter: QPainter,
    stage: Stage,
    look: StageLook,
    projection: Projection,
    size: QSizeF,
    written: Sequence[QRectF],
    palette: Palette,
) -> None:
    """Draw what moves, over what does not; names keep clear of those that are
    `written` already.
    """
    painter.setFont(body_font(11))
    area = QRectF(QPointF(0, 0), size)
    labels = Labels(painter, area)
    for box in written:
        labels.keep_clear(box)
    for place in stage.places:
        labels.spare(_around(projection.to_pixels(place.at), CROSS))
    for thing in look.things:
        labels.spare(_around(projection.to_pixels(thing.at), PROP))
        draw_prop(
            painter,
            palette,
            projection.to_pixels(thing.at),
            thing.level,
            drains=thing.drains,
        )
    with saved(painter):
        corners = (
            projection.to_pixels((0, stage.height_m)),
            projection.to_pixels((stage.width_m, 0)),
        )
        painter.setClipRect(QRectF(*corners))
        _paint_noises(painter, look.noises, projection, palette)
        _paint_row(painter, look, projection, palette)
        if look.cone is not None:
            _paint_cone(painter, look.cone, projection, palette)
    _paint_outlines(painter, look.outlines, projection, palette)
    _paint_sides(painter, look.sides, projection, palette)
    _paint_events(painter, look.events, projection, palette)
    _paint_figures(
        painter, look.figures, projection, size.width(), labels, palette
    )
    _paint_candidates(painter, look.candidates, projection, labels, palette)
    _name_lines(look, projection, labels, palette)
    # A place's name is less than what stands there: it is left out rather than
    # written over a prop.
    for thing in look.things:
        labels.keep_clear(_around(projection.to_pixels(thing.at), PROP))
    for place in stage.places:
        labels.write(
            place.name, projection.to_pixels(place.at), 6, palette.dim
        )
    _paint_guides(painter, look.guides, projection, size, palette)
    if look.rehearsed_s is not None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(palette.now, 3))
        painter.drawRect(area.adjusted(1.5, 1.5, -1.5, -1.5))
        painter.drawText(
            QPointF(10, 18), f"rehearsing · {look.rehearsed_s:.1f} s"
        )


def _paint_row(
    painter: QPainter,
    look: StageLook,
    projection: Projection,
    palette: Palette,
) -> None:
    """The ranges, the way and the target of the selected row."""
    painter.setPen(QPen(palette.now, 1.2, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for ring in look.rings:
        size = projection.to_size(ring.radius_m)
        painter.drawEllipse(projection.to_pixels(ring.centre), size, size)
    if not look.way:
        return
    painter.setPen(QPen(palette.running, 2, Qt.PenStyle.DotLine))
    painter.drawPolyline([projection.to_pixels(corner) for corner in look.way])
    end = projection.to_pixels(look.way[-1])
    painter.setPen(QPen(palette.ink, 1.6))
    painter.drawLine(end + QPointF(-5, -5), end + QPointF(5, 5))
    painter.drawLine(end + QPointF(-5, 5), end + QPointF(5, -5))


def _paint_candidates(
    painter: QPainter,
    marks: Sequence[CandidateMark],
    projection: Projection,
    labels: Labels,
    palette: Palette,
) -> None:
    """What each candidate scores, and a ring around the best."""
    for mark in marks:
        at = projection.to_pixels(mark.at)
        if mark.is_best:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(palette.now, 2.2))
            painter.drawEllipse(at, BEST, BEST)
        labels.write(mark.score, at, BEST + 3, palette.ink, must=True)


def _name_lines(
    look: StageLook, projection: Projection, labels: Labels, palette: Palette
) -> None:
    """What is written at events, at the two sides of a condition, and at
    rings.
    """
    # One that goes to many is named once, where its way is shortest.
    named: dict[tuple[Point, str], EventLine] = {}
    for event in sorted(
        look.events, key=lambda each: math.dist(each.start, each.end)
    ):
        named.setdefault((event.start, event.name), event)
    for event in named.values():
        labels.write(event.name, _dot_of(event, projection), 6, palette.ink)
    for each in look.sides:
        middle = (
            (each.here[0] + each.there[0]) / 2,
            (each.here[1] + each.there[1]) / 2,
        )
        if each.blocked_at:
            colour = palette.refused
        else:
            colour = palette.ink
        labels.write(each.words, projection.to_pixels(middle), 4, colour)
    for ring in look.rings:
        if ring.name:
            top = ring.centre[0], ring.centre[1] + ring.radius_m
            labels.write(ring.name, projection.to_pixels(top), 4, palette.ink)


def _paint_noises(
    painter: QPainter,
    noises: Sequence[NoiseRing],
    projection: Projection,
    palette: Palette,
) -> None:
    """A thin ring as far as each noise is heard, the fainter the longer ago it
    was made.
    """
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for noise in noises:
        colour = QColor(palette.ink)
        colour.setAlphaF(0.12 + 0.5 * noise.left)
        painter.setPen(QPen(colour, 1.0, Qt.PenStyle.DashDotLine))
        size = projection.to_size(noise.radius_m)
        painter.drawEllipse(projection.to_pixels(noise.centre), size, size)


def _paint_events(
    painter: QPainter,
    events: Sequence[EventLine],
    projection: Projection,
    palette: Palette,
) -> None:
    """A line from who raised each event to who receives it, and a dot on its
    way.
    """
    for event in events:
        colour = QColor(palette.running)
        colour.setAlphaF(0.25 + 0.6 * event.left)
        painter.setPen(QPen(colour, 1.4))
        painter.drawLine(
            projection.to_pixels(event.start), projection.to_pixels(event.end)
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(_dot_of(event, projection), DOT, DOT)


def _dot_of(event: EventLine, projection: Projection) -> QPointF:
    """Where an event is on its way."""
    start, end = (
        projection.to_pixels(event.start),
        projection.to_pixels(event.end),
    )
    return start + (end - start) * event.travelled


def _paint_cone(
    painter: QPainter, cone: Cone, projection: Projection, palette: Palette
) -> None:
    size, centre = (
        projection.to_size(cone.sight_m),
        projection.to_pixels(cone.at),
    )
    path = QPainterPath(centre)
    box = QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size)
    path.arcTo(box, cone.heading_deg - cone.cone_deg / 2, cone.cone_deg)
    path.closeSubpath()
    fill = QColor(palette.cone)
    fill.setAlphaF(0.10)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(fill)
    painter.drawPath(path)


def _paint_outlines(
    painter: QPainter,
    outlines: Sequence[BodyOutline],
    projection: Projection,
    palette: Palette,
) -> None:
    """Bodies of the other take, each with a line to where it is in this one."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for outline in outlines:
        at = projection.to_pixels(outline.at)
        size = max(LEAST_BODY, projection.to_size(outline.radius_m))
        painter.setPen(QPen(palette.dim, 1.6))
        painter.drawEllipse(at, size, size)
        if outline.shown_at is not None:
            painter.setPen(QPen(palette.dim, 1.0, Qt.PenStyle.DotLine))
            painter.drawLine(at, projection.to_pixels(outline.shown_at))


def _paint_sides(
    painter: QPainter,
    sides: Sequence[TwoSides],
    projection: Projection,
    palette: Palette,
) -> None:
    """A line between the two sides of each condition, with a bar where
    something cuts it off.
    """
    for each in sides:
        here, there = (
            projection.to_pixels(each.here),
            projection.to_pixels(each.there),
        )
        painter.setPen(QPen(palette.now, 1.4, Qt.PenStyle.DotLine))
        painter.drawLine(here, there)
        if each.blocked_at is not None:
            line = QLineF(
                projection.to_pixels(each.blocked_at), there
            ).normalVector()
            line.setLength(2 * BAR)
            across = QPointF(line.dx(), line.dy()) / 2
            painter.setPen(QPen(palette.refused, 2.4))
            painter.drawLine(line.p1() - across, line.p1() + across)


def _paint_figures(
    painter: QPainter,
    figures: Sequence[BodyFigure],
    projection: Projection,
    wide: float,
    labels: Labels,
    palette: Palette,
) -> None:
    """Everyone on the stage, then what they say, then their names: each where
    there is room left.
    """
    placed = [
        (
            figure,
            projection.to_pixels(figure.at),
            max(LEAST_BODY, projection.to_size(figure.radius_m)),
        )
        for figure in figures
    ]
    for figure, at, size in placed:
        labels.keep_clear(_around(at, size))
        if figure.followed:
            draw_chosen(painter, palette, at, size)
        draw_body(
            painter,
            palette,
            at,
            size,
            figure.heading_deg,
            _fill(figure, palette),
        )
    for figure, at, size in reversed(placed):
        if figure.said:
            where = speech_place(painter, figure.said, at, size, wide, labels)
            labels.keep_clear(
                draw_boxed(painter, palette, figure.said, where, wide)
            )
    for figure, at, size in reversed(placed):
        if figure.label:
            labels.write(
                figure.label, at, size + 5, palette.ink, must=figure.followed
            )


FURTHER = (0, 14, 28, 42)
"""How much further from its body than usual speech is drawn where there is no
room nearer, in pixels.
"""


def speech_place(
    painter: QPainter,
    text: str,
    at: QPointF,
    size: float,
    wide: float,
    labels: Labels,
) -> QPointF:
    """Where a body's speech is drawn: above or below it, to its right, to its
    left or in the middle, and no further off than it must be to cover nobody
    and no name; above to the right where it covers something anywhere.
    """
    away, length = size + 5, box_for(painter, text, at, wide).width()
    places = [
        at + QPointF(across, down)
        for further in FURTHER
        for down in (-24 - further, 34 + further)
        for across in (away, -away - length, -length / 2)
    ]
    boxes = [box_for(painter, text, each, wide) for each in places]
    best = labels.best_of(boxes)
    if best is None:
        return places[0]
    return places[boxes.index(best)]


def _fill(figure: BodyFigure, palette: Palette) -> QColor | None:
    """The colour of what leads one of the cast; none for a puppet."""
    if figure.puppet:
        return None
    if figure.lead is None:
        return palette.running
    return palette.leads[figure.lead % len(palette.leads)]


def _paint_guides(
    painter: QPainter,
    guides: Guides,
    projection: Projection,
    size: QSizeF,
    palette: Palette,
) -> None:
    """Lines through what the dragged point is in line with."""
    painter.setPen(QPen(palette.now, 1, Qt.PenStyle.DotLine))
    if guides.above is not None:
        x = projection.to_pixels(guides.above).x()
        painter.drawLine(QPointF(x, 0), QPointF(x, size.height()))
    if guides.level is not None:
        y = projection.to_pixels(guides.level).y()
        painter.drawLine(QPointF(0, y), QPointF(size.width(), y))


def _around(at: QPointF, size: float) -> QRectF:
    return QRectF(at.x() - size, at.y() - size, 2 * size, 2 * size)
