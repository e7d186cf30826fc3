"""The parts of a row, as they are named in takes, in chips and in edits.

A part is ROW itself, GUARD, `decorator N` or `upkeep N`, N counting from 0 in
the written order. In takes an option also has a part for each candidate that
it is scored for.
"""

from dataclasses import dataclass

ROW = ""
GUARD = "guard"
_CANDIDATE = "candidate:"
"""Names have no colons themselves, and no blanks, so such a part is like no
other.
"""


@dataclass(frozen=True)
class Slot:
    """Where a value is kept: a row, a part of it, and a parameter of that
    part.
    """

    row_id: str
    part: str
    param: str


def part_name(family: str, index: int) -> str:
    """The part that is the nth decorator or upkeep of a row."""
    return f"{family} {index}"


def candidate_part(name: str) -> str:
    """The part that holds what an option scores for one candidate, by its
    name.
    """
    return f"{_CANDIDATE}{name}"


def candidate_of(part: str) -> str | None:
    """The reverse of `candidate_part`; None for any other part."""
    if part.startswith(_CANDIDATE):
        return part.removeprefix(_CANDIDATE)
    return None


def part_index(part: str) -> tuple[str, int]:
    """The reverse of `part_name`; ('', 0) for ROW and ('guard', 0) for GUARD."""
    family, _, index = part.partition(" ")
    return family, int(index or 0)
