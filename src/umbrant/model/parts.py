"""The parts of a row, as they are named in takes, in chips and in edits.

A part is ROW itself, GUARD, `decorator N` or `upkeep N`, N counting from 0 in the written order.
"""

from dataclasses import dataclass

ROW = ""
GUARD = "guard"


@dataclass(frozen=True)
class Slot:
    """Where a value is kept: a row, a part of it, and a parameter of that part."""

    row_id: str
    part: str
    param: str


def part_name(family: str, index: int) -> str:
    """The part that is the nth decorator or upkeep of a row."""
    return f"{family} {index}"


def part_index(part: str) -> tuple[str, int]:
    """The reverse of `part_name`; ('', 0) for ROW and ('guard', 0) for GUARD."""
    family, _, index = part.partition(" ")
    return family, int(index or 0)
