"""How the lanes are drawn: what led each of the cast when, the tape's window,
and the cues above them.

Plain functions of what is to be shown; `lanes_of` takes that from a take.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from umbrant.desk.session.loader import Loaded
from umbrant.desk.views.lanes.cue_ruler import Mark
from umbrant.desk.views.lanes.rows import LaneRow
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.desk.widgets.time_scale import TimeScale
from umbrant.reasons.decision_changes import LeadingSpan, behavior_of
from umbrant.take.compare import TickRange
from umbrant.take.reader import Take

LANE, BAR = 18, 14
"""How high a lane is, and what is drawn in it."""
NAMED, BRANCH, MOST_BRANCHES = 8.0, 3.0, 3
"""How high a stripe must be to hold a name, how high those of further branches
are, and with more branches than how many all are alike.
"""
TEXTURES = (
    Qt.BrushStyle.NoBrush,
    Qt.BrushStyle.BDiagPattern,
    Qt.BrushStyle.Dense6Pattern,
)
TEXTURE_ALPHA = 70
"""What is drawn over the colours of what leads, in turn, so that they stay
apart in grey.
"""
HIT_HIGH, CROSS = 4.0, 3.2
"""How high the line over what was found is, and half the size of a broken
expectation's cross.
"""
GAPLESS = 1.6
"""Up to which height stripes stand without a gap."""
LEAST_WIDE = 2.5
"""How wide the mark of a row is at least that began and ended within one tick.
"""
HALF, HIGH = 4.5, 7.0
"""Half the width of a cue's mark, and its height."""


@dataclass(frozen=True)
class Bar:
    """That something led from one tick to another. `colour` is an index among
    the palette's `leading_spans`.
    """

    start: int
    end: int
    colour: int
    name: str
    is_brief: bool = False
    """Whether it began and ended within one tick: drawn as a mark, however
    wide a tick is.
    """


@dataclass(frozen=True)
class Lane:
    """One of the cast: a stripe for each branch of its behavior, or for each
    of its copies. `chosen` is the first stripe of the one that is looked at.
    """

    title: str
    long_title: str
    chosen: int | None
    stripes: tuple[tuple[Bar, ...], ...]
    is_crowd: bool = False
    """Whether the stripes are copies of one of the cast."""
    apart: tuple[TickRange, ...] = ()
    """Where two takes are compared the ticks at which it did otherwise. Each
    then has one stripe: the first is of the take that is shown, the second of
    the other.
    """


AllSpans = tuple[tuple[LeadingSpan, ...], ...]
"""What led each branch of an agent's behavior."""


def lanes_of(
    rows: Sequence[LaneRow],
    agent: str,
    loaded: Loaded | None,
    *,
    compares: bool = False,
    opened: Collection[str] = (),
) -> tuple[Lane, ...]:
    """The lanes of a cast, of whom one is looked at, in a take; or also in the
    one that it is compared with. `opened` are the kinds whose lanes are open.
    """
    return tuple(
        _lane(
            row, agent, loaded, compares=compares, is_open=row.kind in opened
        )
        for row in rows
    )


def _lane(
    row: LaneRow,
    agent: str,
    loaded: Loaded | None,
    *,
    compares: bool,
    is_open: bool,
) -> Lane:
    players, title = row.players, row.title
    chosen = next(
        (
            index
            for index, player in enumerate(players)
            if player.name == agent
        ),
        None,
    )
    if len(players) > 1 and chosen is not None and not is_open:
        title = f"{players[chosen].title or players[chosen].name} of {len(players)}"
    if row.kind:
        mark = "▸ "
        if is_open:
            mark = "▾ "
    else:
        mark = ""
        if row.is_inside:
            mark = "   "
    title = mark + title
    if row.behavior:
        long_title = f"{title} ({row.behavior})"
    else:
        long_title = title
    if (
        loaded is not None
        and loaded.comparison is not None
        and compares
        and len(players) == 1
    ):
        return _compared_lane(
            players[0].name, title, long_title, chosen, loaded
        )
    stripes = [_bars(player.name, loaded) for player in players]
    # Copies have a stripe each; there is no room for all the branches of them
    # all.
    if len(players) == 1:
        shown = stripes[0]
    else:
        shown = [each[0] if each else () for each in stripes]
    return Lane(
        title, long_title, chosen, tuple(shown) or ((),), len(players) > 1
    )


def _compared_lane(
    name: str, title: str, long_title: str, chosen: int | None, loaded: Loaded
) -> Lane:
    """One of the cast in two takes, with what leads the first branch of its
    behavior.
    """
    both = [
        _bars(name, loaded),
        _bars_of(
            name,
            loaded.before,
            loaded.before_spans,
            loaded.leading.get(name, ()),
        ),
    ]
    found = None
    if loaded.comparison:
        found = loaded.comparison.by_agent.get(name)
    stripes = tuple(each[0] if each else () for each in both)
    apart = found.ranges if found else ()
    return Lane(title, long_title, chosen, stripes, is_crowd=True, apart=apart)


def _bars(name: str, loaded: Loaded | None) -> list[tuple[Bar, ...]]:
    """The bars of one of the cast, for each branch of its behavior."""
    if loaded is None:
        return []
    return _bars_of(
        name, loaded.take, loaded.leading_spans, loaded.leading.get(name, ())
    )


def _bars_of(
    name: str,
    take: Take | None,
    spans: Mapping[str, AllSpans],
    leading: Sequence[str],
) -> list[tuple[Bar, ...]]:
    """The same of a take, with colours by the rows that lead in the one that
    is shown.
    """
    behavior = None
    if take is not None and name in take.agents:
        behavior = behavior_of(take, name)
    if behavior is None:
        return []
    led = [lead.row_id for branch in spans.get(name, ()) for lead in branch]
    colours = {
        row_id: index
        for index, row_id in enumerate(dict.fromkeys([*leading, *led]))
    }
    return [
        tuple(
            Bar(
                lead.start,
                lead.end,
                colours[lead.row_id],
                behavior.row(lead.row_id).name,
                lead.is_brief,
            )
            for lead in branch
        )
        for branch in spans.get(name, ())
    ]


def paint_lanes(
    painter: QPainter,
    lanes: Sequence[Lane],
    scale: TimeScale,
    top: float,
    palette: Palette,
) -> None:
    """Draw the lanes, one below the other."""
    for index, lane in enumerate(lanes):
        _paint_lane(painter, lane, scale, int(top) + index * LANE, palette)


def _paint_lane(
    painter: QPainter, lane: Lane, scale: TimeScale, top: int, palette: Palette
) -> None:
    painter.setFont(body_font(11, bold=lane.chosen is not None))
    if lane.chosen is None:
        ink = palette.dim
    else:
        ink = palette.ink
    painter.setPen(ink)
    metrics, room = painter.fontMetrics(), int(scale.left) - 18
    fits = metrics.horizontalAdvance(lane.long_title) <= room
    if fits:
        shown = lane.long_title
    else:
        shown = metrics.elidedText(
            lane.title, Qt.TextElideMode.ElideRight, room
        )
    painter.drawText(
        QRectF(12, top, scale.left - 16, BAR),
        Qt.AlignmentFlag.AlignVCenter,
        shown,
    )
    painter.setFont(body_font(10))
    area = QRectF(scale.left, top, scale.right - scale.left, BAR)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(palette.rule)
    painter.drawRoundedRect(
        area.adjusted(0, BAR / 2 - 1, 0, 1 - BAR / 2), 1, 1
    )
    for each in lane.apart:
        left, right = scale.x_of(each.start), scale.x_of(each.end + 1)
        width = max(LEAST_WIDE, right - left)
        painter.fillRect(QRectF(left, top - 2, width, LANE), palette.different)
    painter.setPen(Qt.PenStyle.NoPen)
    stripes = _heights(lane)
    for bars, (foot, high) in zip(lane.stripes, stripes, strict=True):
        for bar in bars:
            left, right = scale.x_of(bar.start), scale.x_of(bar.end + 1)
            if bar.is_brief:
                right = max(right, left + LEAST_WIDE)
            box = QRectF(
                QPointF(left, top + foot), QPointF(right, top + foot + high)
            )
            _paint_bar(painter, box, bar, palette)
    if (
        lane.chosen is not None
        and lane.is_crowd
        and not lane.apart
        and len(lane.stripes) > 1
    ):
        foot, high = stripes[lane.chosen]
        painter.setBrush(palette.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRect(QRectF(scale.left - 5, top + foot, 3, max(2.0, high)))


def _heights(lane: Lane) -> list[tuple[float, float]]:
    """Where each stripe of a lane begins, and how high it is.

    Copies share the lane. Of the branches of one behavior the first is high
    enough for names.
    """
    count = max(1, len(lane.stripes))
    if lane.is_crowd or count == 1 or count > MOST_BRANCHES:
        return [(index * BAR / count, BAR / count) for index in range(count)]
    first = BAR - BRANCH * (count - 1)
    return [
        (0.0, first),
        *((first + BRANCH * index, BRANCH) for index in range(count - 1)),
    ]


def _paint_bar(
    painter: QPainter, box: QRectF, bar: Bar, palette: Palette
) -> None:
    colour, name = palette.leads[bar.colour % len(palette.leads)], bar.name
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if box.height() < NAMED:
        # Very many stripes have no room for gaps between them, which would
        # wash them out.
        if box.height() > GAPLESS:
            box = box.adjusted(0, 0, -0.5, -0.3)
        painter.fillRect(box, colour)
        return
    painter.drawRoundedRect(box.adjusted(0, 0, -1, 0), 2, 2)
    texture = TEXTURES[bar.colour % len(TEXTURES)]
    if texture is not Qt.BrushStyle.NoBrush:
        painter.setBrush(QBrush(QColor(255, 255, 255, TEXTURE_ALPHA), texture))
        painter.drawRoundedRect(box.adjusted(0, 0, -1, 0), 2, 2)
    if painter.fontMetrics().horizontalAdvance(name) + 8 <= box.width():
        painter.setPen(QColor("#FFFFFF"))
        painter.drawText(
            box.adjusted(5, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, name
        )


def paint_window(
    painter: QPainter, left: float, right: float, high: float, palette: Palette
) -> None:
    """Shade the stretch of the take that the tapes show."""
    shade = QColor(palette.ink)
    shade.setAlphaF(0.07)
    painter.setPen(QPen(palette.faint, 1))
    painter.setBrush(shade)
    painter.drawRoundedRect(
        QRectF(QPointF(left, 2), QPointF(right, high - 2)), 3, 3
    )


def paint_hits(
    painter: QPainter,
    stretches: Sequence[tuple[int, int]],
    scale: TimeScale,
    top: float,
    palette: Palette,
) -> None:
    """A line over the lanes where what was looked for holds."""
    for start, end in stretches:
        left, right = scale.x_of(start), scale.x_of(end + 1)
        box = QRectF(
            left, top - HIT_HIGH, max(LEAST_WIDE, right - left), HIT_HIGH
        )
        painter.fillRect(box, palette.now)


def paint_stop(
    painter: QPainter, x: float, top: float, palette: Palette
) -> None:
    """A mark over the lanes where playing stops."""
    box = QRectF(x - 1, top - 2 * HIT_HIGH, 2, 2 * HIT_HIGH)
    painter.fillRect(box, palette.ink)
    painter.fillRect(
        QRectF(x - 1, top - 2 * HIT_HIGH, HIT_HIGH + 2, HIT_HIGH), palette.ink
    )


def paint_broken(
    painter: QPainter, x: float, top: float, palette: Palette
) -> None:
    """A cross on a lane, where an expectation is broken."""
    middle = QPointF(x, top + BAR / 2)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(palette.sheet)
    painter.drawEllipse(middle, CROSS + 2.5, CROSS + 2.5)
    painter.setPen(QPen(palette.refused, 2.2))
    painter.drawLine(
        middle + QPointF(-CROSS, -CROSS), middle + QPointF(CROSS, CROSS)
    )
    painter.drawLine(
        middle + QPointF(-CROSS, CROSS), middle + QPointF(CROSS, -CROSS)
    )


def paint_cues(
    painter: QPainter,
    marks: Sequence[Mark],
    held: Mark | None,
    scale: TimeScale,
    ticks_per_s: int,
    palette: Palette,
) -> None:
    """Draw the marks of cues in a strip as high as a lane, with what each does
    where there is room before the next.
    """
    painter.setFont(body_font(10))
    painter.setPen(palette.dim)
    box = QRectF(scale.left, 3, scale.right - scale.left, LANE)
    painter.drawText(
        QRectF(12, box.top(), box.left() - 16, box.height()),
        Qt.AlignmentFlag.AlignVCenter,
        "Cues",
    )
    places = [
        (scale.x_of(each.at_s * ticks_per_s), each)
        for each in sorted(marks, key=lambda each: each.at_s)
    ]
    for number, (x, mark) in enumerate(places):
        if number + 1 < len(places):
            end = places[number + 1][0]
        else:
            end = box.right()
        foot = box.center().y() + HIGH / 2
        painter.setPen(Qt.PenStyle.NoPen)
        if mark == held:
            fill = palette.now
        else:
            fill = palette.dim
        painter.setBrush(fill)
        corners = [
            QPointF(x - HALF, foot - HIGH),
            QPointF(x + HALF, foot - HIGH),
            QPointF(x, foot),
        ]
        painter.drawPolygon(QPolygonF(corners))
        room = int(end - x - 2 * HALF - 6)
        painter.setPen(palette.dim)
        if painter.fontMetrics().horizontalAdvance(mark.text) <= room:
            at = QRectF(x + HALF + 3, box.top(), room, box.height())
            painter.drawText(at, Qt.AlignmentFlag.AlignVCenter, mark.text)
