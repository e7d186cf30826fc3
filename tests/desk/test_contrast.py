"""Text and marks stand out enough from whatever they stand on, by Day and by
Night.
"""

from itertools import combinations

import pytest
from PySide6.QtGui import QColor

from umbrant.desk.views.lanes.painting import TEXTURES
from umbrant.desk.widgets.theme import DAY, NIGHT, Palette

TEXT, MARK = 4.5, 3.0
WHITE = QColor("#FFFFFF")
GROUNDS = (
    "ground",
    "sheet",
    "selection",
    "chip_fill",
    "guard_fill",
    "wrap_fill",
    "key_fill",
    "land",
)


def luminance(colour: QColor) -> float:
    parts = [colour.redF(), colour.greenF(), colour.blueF()]
    red, green, blue = (
        each / 12.92 if each <= 0.04045 else ((each + 0.055) / 1.055) ** 2.4
        for each in parts
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: QColor, other: QColor) -> float:
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def test_the_measure_is_the_usual_one() -> None:
    assert contrast(QColor("black"), WHITE) == pytest.approx(21)
    assert contrast(QColor("#777777"), WHITE) == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=lambda each: each.name)
@pytest.mark.parametrize(
    "role", ["ink", "dim", "running", "success", "refused"]
)
def test_text_can_be_read_on_every_ground(palette: Palette, role: str) -> None:
    for ground in GROUNDS:
        assert (
            contrast(getattr(palette, role), getattr(palette, ground)) >= TEXT
        ), ground
    assert contrast(palette.dim, palette.water) >= TEXT


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=lambda each: each.name)
def test_marks_stand_out(palette: Palette) -> None:
    for role in ("now", "faint", "running"):
        for ground in ("ground", "sheet", "selection"):
            assert (
                contrast(getattr(palette, role), getattr(palette, ground))
                >= MARK
            ), role
    for lead in palette.leads:
        assert contrast(lead, palette.ground) >= MARK
        assert contrast(lead, WHITE) >= TEXT, "names in lanes are white"
    assert contrast(palette.button, palette.button_ink) >= TEXT


def test_what_leads_keeps_apart_in_grey() -> None:
    """Neighbours differ by their texture, whatever is left of their colours."""
    for one, other in combinations(range(len(TEXTURES)), 2):
        assert TEXTURES[one] is not TEXTURES[other]
    assert len(TEXTURES) >= 3
