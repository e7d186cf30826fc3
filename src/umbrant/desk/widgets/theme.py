"""Every colour, font and measure of the window, by its role. Night is Day's
counterpart, with the same roles.
"""

from dataclasses import dataclass
from functools import lru_cache
from string import Template

from PySide6.QtGui import QColor, QFont, QFontDatabase


@dataclass(frozen=True)
class Palette:
    """A colour for each role. `name` stands for all of them in the keys of
    kept pictures.
    """

    name: str
    ground: QColor
    sheet: QColor
    rule: QColor
    ink: QColor
    dim: QColor
    faint: QColor
    selection: QColor
    running: QColor
    success: QColor
    refused: QColor
    now: QColor
    different: QColor
    key_fill: QColor
    key_rule: QColor
    chip_fill: QColor
    chip_rule: QColor
    guard_fill: QColor
    wrap_fill: QColor
    land: QColor
    water: QColor
    wall: QColor
    wall_rule: QColor
    cone: QColor
    button: QColor
    button_ink: QColor
    leads: tuple[QColor, ...]
    """What leads in a lane, in the order of the rows it may be."""


def _colours(**roles: str) -> dict[str, QColor]:
    return {role: QColor(colour) for role, colour in roles.items()}


DAY = Palette(
    name="day",
    **_colours(
        ground="#F4F1EA",
        sheet="#FBF9F4",
        rule="#DDD6C8",
        ink="#20263A",
        dim="#635F52",
        faint="#8B8169",
        selection="#ECE4D2",
        running="#4B52C9",
        success="#0C7367",
        refused="#A44C2A",
        now="#AE771F",
        different="#F6E3BC",
        key_fill="#EEF0FC",
        key_rule="#B5B9E6",
        chip_fill="#FFFFFF",
        chip_rule="#CFC7B4",
        guard_fill="#E0EBE4",
        wrap_fill="#EEE5CF",
        land="#E9EFEA",
        water="#CBDDE2",
        wall="#CFC5AE",
        wall_rule="#A89D82",
        cone="#4B52C9",
        button="#20263A",
        button_ink="#FBF9F4",
    ),
    leads=tuple(
        QColor(each)
        for each in (
            "#BF554B",
            "#656DC7",
            "#767A3F",
            "#7C7667",
            "#8A68A6",
            "#497D8F",
            "#986D31",
        )
    ),
)

NIGHT = Palette(
    name="night",
    **_colours(
        ground="#191C26",
        sheet="#1F2330",
        rule="#343A4B",
        ink="#E9E5DA",
        dim="#A49F90",
        faint="#82807B",
        selection="#323549",
        running="#9197F4",
        success="#38B8A6",
        refused="#E28863",
        now="#EBB04B",
        different="#4A3F28",
        key_fill="#2A2F4C",
        key_rule="#545CA5",
        chip_fill="#272C3B",
        chip_rule="#4B5164",
        guard_fill="#26393A",
        wrap_fill="#3A3527",
        land="#232B30",
        water="#1C3440",
        wall="#4B4638",
        wall_rule="#6E6751",
        cone="#7E86F2",
        button="#E9E5DA",
        button_ink="#191C26",
    ),
    leads=tuple(
        QColor(each)
        for each in (
            "#B25D54",
            "#626ACB",
            "#75793C",
            "#6E6A5F",
            "#7F609A",
            "#517C8B",
            "#996D2E",
        )
    ),
)

ROW_HEIGHT, COMPACT_ROW_HEIGHT = 34, 26
"""The height of a ledger's row with one line, in pixels at 100 %."""

_FAMILIES = ("Inter", "DejaVu Sans")


def body_font(pixels: int = 12, *, bold: bool = False) -> QFont:
    """The type of the window, with tabular figures where the family has them."""
    font = QFont(_family())
    font.setPixelSize(pixels)
    font.setBold(bold)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


@lru_cache(maxsize=1)
def _family() -> str:
    known = QFontDatabase.families()
    return next(
        (family for family in _FAMILIES if family in known), "Sans Serif"
    )


_SHEET = Template("""
QMainWindow, QDialog { background: $ground; color: $ink; }
QWidget { color: $ink; }
QMenuBar { background: $ground; border-bottom: 1px solid $rule; padding: 1px 4px; }
QMenuBar::item { padding: 4px 9px; background: transparent; }
QMenuBar::item:selected { background: $selection; border-radius: 4px; }
QMenu { background: $sheet; border: 1px solid $rule; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 14px; border-radius: 4px; }
QMenu::item:selected { background: $selection; }
QMenu::item:disabled { color: $faint; }
QMenu::separator { height: 1px; background: $rule; margin: 4px 8px; }
QToolTip { background: $sheet; color: $ink; border: 1px solid $rule; padding: 4px; }
QTableView, QListView, QTextBrowser { background: $sheet; border: none; outline: none;
    selection-background-color: $selection; selection-color: $ink; }
QHeaderView { background: $ground; }
QHeaderView::section { background: $ground; color: $dim; border: none;
    border-bottom: 1px solid $rule; padding: 0 8px; }
QSplitter::handle { background: $rule; }
QLineEdit, QPlainTextEdit, QComboBox {
    color: $ink; background: $chip_fill; border: 1px solid $running; border-radius: 4px;
    padding: 1px 4px; selection-background-color: $running; selection-color: $button_ink; }
QLineEdit#filter { border-color: $chip_rule; }
QLineEdit#filter:focus { border-color: $running; }
QToolButton, QPushButton { background: transparent; border: 1px solid transparent;
    border-radius: 5px; padding: 4px 8px; }
QToolButton:hover, QPushButton:hover { background: $selection; }
QToolButton:focus, QPushButton:focus { border-color: $running; }
QToolButton:checked { background: $selection; color: $ink; }
QToolButton#tab { padding: 2px 8px; color: $dim; }
QToolButton#tab:checked { background: $sheet; color: $ink; font-weight: 600; }
QToolButton:disabled, QPushButton:disabled { color: $faint; }
QToolButton::menu-indicator { image: none; width: 0; }
QDialogButtonBox QPushButton { border: 1px solid $chip_rule; min-width: 70px; }
QDialog#question { background: $sheet; border: 1px solid $chip_rule; border-top: 3px solid $now; }
QDialog#question QLabel, QDialog#question QScrollArea { background: transparent; border: none; }
QLabel#questionTitle { font-weight: 600; font-size: 15px; }
QPushButton#verb { border: 1px solid $chip_rule; padding: 5px 14px; }
QPushButton#verb:default { background: $button; color: $button_ink; border-color: $button; }
QPushButton#verb:focus { border: 1px solid $now; }
QDialog#question QListWidget { border: 1px solid $rule; }
QToolButton#pill { background: $sheet; border: 1px solid $rule; border-radius: 13px;
    padding: 4px 12px; }
QToolButton#pill:hover, QToolButton#pill:focus { border-color: $running; }
QToolButton#newTake { background: $button; color: $button_ink; border-radius: 13px;
    padding: 4px 14px; font-weight: 600; }
QToolButton#newTake:focus { border: 1px solid $now; }
QWidget#bar, QWidget#heading { background: $ground; }
QLabel#dim, QWidget#dim { color: $dim; background: transparent; }
QFrame#search { background: $sheet; border: 1px solid $chip_rule; border-radius: 6px; }
QLabel#noticeText { background: $button; color: $button_ink; border-radius: 6px; }
QSlider { background: $sheet; border: 1px solid $chip_rule; border-radius: 4px; padding: 0 8px; }
QSlider::groove:horizontal { height: 4px; background: $rule; border-radius: 2px; }
QSlider::sub-page:horizontal { background: $running; border-radius: 2px; }
QSlider::handle:horizontal { background: $sheet; border: 2px solid $running; width: 9px;
    margin: -5px 0; border-radius: 6px; }
QFrame#firstVisit { background: $selection; border: none; border-left: 4px solid $now; }
QFrame#firstVisit QLabel { background: transparent; }
QFrame#firstVisit QPushButton { background: $sheet; border: 1px solid $chip_rule;
    padding: 3px 12px; }
QLabel#menuHeading { color: $dim; font-size: 11px; padding: 6px 12px 2px 12px; }
QFrame#rule { background: $rule; border: none; }
QScrollBar:vertical { background: transparent; width: 8px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
QScrollBar::handle { background: $rule; border-radius: 4px; min-height: 24px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
""")
"""The look of Qt's own widgets, with the palette's roles by their names."""


def style_sheet(palette: Palette) -> str:
    """The look of Qt's own widgets in a palette."""
    return _SHEET.substitute(
        {
            name: getattr(palette, name).name()
            for name in Palette.__dataclass_fields__
            if name not in ("name", "leads")
        }
    )
