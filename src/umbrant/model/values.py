"""The values an author can write into a chip, a key or a stage, and how each is said in a sentence."""

from enum import StrEnum

from pydantic import BaseModel, ConfigDict, Field

Point = tuple[float, float]
"""A place on the stage: metres east and north of its lower left corner, y up."""


class Document(BaseModel):
    """The base of all that is written to a project's files: frozen, and strict about names it does not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False)


class KeyType(StrEnum):
    """What a blackboard key can hold. `AGENT` and `PROP` hold the name of one on the stage."""

    YES_NO = "yes/no"
    NUMBER = "number"
    TEXT = "text"
    POINT = "point"
    AGENT = "agent"
    PROP = "prop"


class KeyRef(Document):
    """A parameter bound to a blackboard key."""

    key: str


class PlaceRef(Document):
    """A parameter bound to a named place of the stage."""

    place: str


class Spread(Document):
    """A number drawn anew each time a row is entered: evenly from `mid - give` to `mid + give`."""

    mid: float
    give: float = Field(ge=0)


Literal = bool | float | str | Point
"""What a key can hold, besides nothing at all (None)."""

ParamValue = bool | float | str | Point | KeyRef | PlaceRef | Spread
"""What a chip can hold."""


def number_text(number: float) -> str:
    """The shortest everyday writing of a number, at most three decimals: 2, 0.5, -1.25."""
    text = f"{number:.3f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def value_text(value: ParamValue | None, unit: str = "") -> str:
    """A value as it is read in a sentence: `2 s ± 0.5`, `(14.2, 6.1)`, `yes`, `not set`."""
    after = f" {unit}" if unit else ""
    match value:
        case None:
            return "not set"
        case bool():
            return "yes" if value else "no"
        case int() | float():
            return number_text(value) + after
        case Spread(mid=mid, give=give):
            return f"{number_text(mid)}{after} ± {number_text(give)}"
        case KeyRef(key=name) | PlaceRef(place=name):
            return name
        case (x, y):
            return f"({x:.1f}, {y:.1f})"
        case _:
            return str(value)
