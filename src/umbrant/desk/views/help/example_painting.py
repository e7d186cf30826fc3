"""How the example of a kind is drawn at one tick: a small stage, and the rows
of its NPC with their tapes.
"""

import math
from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.templates.examples import NPC, RATE, SHOWN, VISITOR
from umbrant.desk.chips.sentence import PieceRole, SentenceContext, sentence
from umbrant.desk.views.ledger.tape import Axis, TapePainter
from umbrant.desk.views.stage.ground_painting import paint_ground
from umbrant.desk.widgets.figures import draw_body, draw_boxed, draw_prop
from umbrant.desk.widgets.painted import saved
from umbrant.desk.widgets.theme import Palette, body_font
from umbrant.model.staging import Stage
from umbrant.model.values import Point
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take

ROW_HIGH, MARGIN = 22, 8
STAGE_SHARE, TAPE_SHARE = 0.36, 0.26
"""How much of the width the stage and the tapes take; between them stand the
rows.
"""
SAID_S = 1.5


def paint_example(
    painter: QPainter,
    explainer: Explainer,
    stage: Stage,
    rows: Sequence[str],
    tick: int,
    box: QRectF,
    palette: Palette,
) -> None:
    """Draw an example into a box: its stage, and so many of its rows."""
    painter.setFont(body_font(11))
    on_stage = QRectF(
        box.left() + MARGIN,
        box.top() + MARGIN,
        box.width() * STAGE_SHARE - MARGIN,
        box.height() - 2 * MARGIN,
    )
    _paint_stage(painter, explainer.take, stage, tick, on_stage, palette)
    _paint_rows(painter, explainer, rows, tick, box, palette)


def _paint_stage(
    painter: QPainter,
    take: Take,
    stage: Stage,
    tick: int,
    box: QRectF,
    palette: Palette,
) -> None:
    scale = min(box.width() / stage.width_m, box.height() / stage.height_m)
    foot = box.center().y() + stage.height_m * scale / 2

    def to_pixels(place: Point) -> QPointF:
        return QPointF(box.left() + place[0] * scale, foot - place[1] * scale)

    with saved(painter):
        painter.setClipRect(box)
        paint_ground(painter, stage, palette, to_pixels)
        for name, levels in take.levels.items():
            place = take.props[name].at(tick)
            if place is not None and not math.isnan(levels[tick]):
                drains = name.startswith("lamp")
                draw_prop(
                    painter,
                    palette,
                    to_pixels(place.at),
                    float(levels[tick]),
                    drains=drains,
                )
        for name in take.poses:
            _paint_body(
                painter, take, name, tick, to_pixels, box.right(), palette
            )


def _paint_body(
    painter: QPainter,
    take: Take,
    name: str,
    tick: int,
    to_pixels: Callable[[Point], QPointF],
    right: float,
    palette: Palette,
) -> None:
    x, y, heading = take.poses[name][tick].tolist()
    if math.isnan(x):
        return
    if name == VISITOR:
        fill = None
    elif name == NPC:
        fill = palette.leads[0]
    else:
        fill = palette.dim
    radius = 6.5
    if name == "dog":
        radius = 4.0
    draw_body(
        painter,
        palette,
        to_pixels((x, y)),
        radius,
        heading,
        fill,
    )
    if name == NPC:
        recent = [
            text
            for when, _, text in take.agents[name].said
            if 0 <= tick - when < SAID_S * RATE
        ]
    else:
        recent = []
    if recent:
        draw_boxed(
            painter,
            palette,
            recent[-1],
            to_pixels((x, y)) + QPointF(8, -4),
            right,
        )


def _paint_rows(
    painter: QPainter,
    explainer: Explainer,
    rows: Sequence[str],
    tick: int,
    area: QRectF,
    palette: Palette,
) -> None:
    take = explainer.take
    left, wide = (
        area.left() + area.width() * STAGE_SHARE + MARGIN,
        area.width() * TAPE_SHARE,
    )
    edge, top = (
        area.right() - MARGIN - wide,
        area.top() + (area.height() - ROW_HIGH * len(rows)) / 2,
    )
    for index, row_id in enumerate(rows):
        box = QRectF(
            left,
            top + index * ROW_HIGH,
            area.right() - MARGIN - left,
            ROW_HIGH,
        )
        if row_id == SHOWN:
            ground = palette.selection
        else:
            ground = palette.sheet
        painter.fillRect(box, ground)
        painter.fillRect(
            QRectF(left, box.bottom() - 1, box.width(), 1), palette.rule
        )
        room = box.adjusted(
            4 + 9.0 * explainer.outline.depth[row_id], 0, -wide - 6, 0
        )
        painter.setFont(body_font(11))
        painter.setPen(palette.ink)
        text = row_text(explainer, row_id)
        text = painter.fontMetrics().elidedText(
            text, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        cell = QRectF(edge, box.top(), wide, ROW_HIGH)
        with saved(painter):
            painter.setClipRect(cell)
            axis = Axis(cell, 0, take.ticks, take.ticks)
            tape = TapePainter(painter, axis, palette, take.header.ticks_per_s)
            tape.draw(explainer.family(row_id), explainer.record.row(row_id))
    x = edge + tick / take.ticks * wide
    painter.fillRect(QRectF(x - 1, top, 2, ROW_HIGH * len(rows)), palette.now)


def row_text(explainer: Explainer, row_id: str) -> str:
    """A row in few words: its name, but what it does where the name says no
    more than its kind.
    """
    behavior = explainer.behavior
    row = behavior.row(row_id)
    around = SentenceContext(
        {each.id: each.name or each.kind for each in behavior.rows}
    )
    pieces = [
        piece
        for piece in sentence(row, BUILTIN, around)
        if piece.role is not PieceRole.KIND
    ]
    if row_id == SHOWN and len(pieces) > 1:
        pieces = [
            piece
            for piece in pieces
            if piece.role is not PieceRole.NAME or piece.chip is None
        ] or pieces
    elif row.name:
        pieces = [piece for piece in pieces if piece.role is PieceRole.NAME][
            :1
        ]
    return " ".join(piece.text for piece in pieces)
