"""The lines of the setting about one cast, turned into rows and columns. Knows
nothing of Qt.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field

from umbrant.desk.chips.sentence import SentencePiece
from umbrant.desk.views.setting.fields import SettingLine
from umbrant.model.paths import Path

NAMES = "name"
"""The column that stays in sight; it is the first one."""
PLAIN_COLUMNS = (
    (NAMES, "name", 96),
    ("behavior", "behavior", 104),
    ("group", "group", 76),
    ("start", "at", 92),
    ("facing", "facing", 56),
    ("copies", "×", 36),
    ("walk", "walks", 68),
    ("run", "runs", 68),
    ("sight", "sees", 56),
    ("hearing", "hears", 56),
)
"""What a chip of a line is called, the title of its column, and how wide that
is in pixels.
"""
NUMBER_WIDE = 66


@dataclass(frozen=True)
class CastColumn:
    """A column: the title, how wide it is, and where it begins."""

    key: str
    title: str
    wide: int
    x: int


@dataclass
class CastRow:
    """One of the cast: its line in the setting, and the chips by their
    columns.
    """

    line: SettingLine
    cells: dict[str, SentencePiece] = field(default_factory=dict)

    @property
    def path(self) -> Path:
        """The path of the one it is about."""
        return self.line.path

    @property
    def text(self) -> str:
        """The row as plain text, for screen readers."""
        return ", ".join(piece.text for piece in self.cells.values())


def pivoted(
    lines: Iterable[SettingLine], scenario: str
) -> tuple[list[CastColumn], list[CastRow]]:
    """The columns and the rows of a scenario's cast; a column for each number
    that any body has.
    """
    rows: dict[int, CastRow] = {}
    numbers: dict[str, None] = {}
    for line in lines:
        path = line.path
        if path[:3] != ("scenarios", scenario, "cast") or len(path) < 4:
            continue
        place, about = path[3], path[4:]
        if not isinstance(place, int):
            continue
        if not about:
            rows[place] = CastRow(line, _by_label(line))
        elif about == ("body",) and place in rows:
            rows[place].cells.update(_by_label(line))
        elif (
            about[:2] == ("body", "stats")
            and len(about) == 3
            and place in rows
        ):
            name = str(about[2])
            value = _by_label(line).get("value")
            if value is not None:
                numbers[name] = None
                rows[place].cells[f"number {name}"] = value
    columns: list[CastColumn] = []
    x = 10
    given = [
        *PLAIN_COLUMNS,
        *((f"number {name}", name, NUMBER_WIDE) for name in numbers),
    ]
    for key, title, wide in given:
        columns.append(CastColumn(key, title, wide, x))
        x += wide
    for row in rows.values():
        # In the order of the columns: so the keyboard goes from left to right.
        row.cells = {
            column.key: row.cells[column.key]
            for column in columns
            if column.key in row.cells
        }
    return columns, list(rows.values())


def _by_label(line: SettingLine) -> dict[str, SentencePiece]:
    return {
        piece.chip.label: piece
        for piece in line.pieces
        if piece.chip is not None
    }
