"""The values an author can write into a chip, a key or a stage, and how each
is said in a sentence.
"""

from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import Annotated, Any, Protocol, Self, TypeVar

from pydantic import AliasChoices, BaseModel, ConfigDict, Field

FiniteNumber = Annotated[float, Field(ge=-1e12, le=1e12)]
"""A number in a document: so large that nobody needs a larger one, and small
enough to be reckoned with.
"""

Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]

Point = tuple[Coordinate, Coordinate]
"""A place on the stage: metres east and north of its lower left corner, y up.
"""


class Document(BaseModel):
    """The base of all that is written to a project's files: frozen, and strict
    about names it does not know.
    """

    model_config = ConfigDict(
        frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False
    )

    def model_copy(
        self, *, update: Mapping[str, Any] | None = None, deep: bool = False
    ) -> Self:
        """A copy with other values; what was worked out and kept for the old
        ones (cached properties) is not copied.
        """
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied


class ProjectFile(Document):
    """A document that is a file of a project. It may name its JSON Schema, for
    editors.
    """

    schema_uri: str | None = Field(default=None, alias="$schema")


class KeyType(StrEnum):
    """What a blackboard key can hold. `AGENT` and `PROP` hold the name of one
    on the stage.
    """

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
    """A number drawn anew each time a row is entered, evenly within
    `half_width` of `mean`.
    """

    # Files of the format before named the fields `mid` and `give`.
    mean: FiniteNumber = Field(validation_alias=AliasChoices("mean", "mid"))
    half_width: FiniteNumber = Field(
        ge=0, validation_alias=AliasChoices("half_width", "give")
    )


class Shape(StrEnum):
    """The families of response curves."""

    LINEAR = "linear"
    POWER = "power"
    LOGISTIC = "logistic"
    LOGIT = "logit"
    BELL = "bell"
    STEP = "step"
    POINTS = "points"


class Curve(Document):
    """A response curve: how much an input is worth, from 0 to 1.
    `catalog.curves` says what each shape does.

    The input's place in its range, from 0 to 1, is what `middle`, `width` and
    the first number of each of `points` are told in; `threshold` is told in
    the input's own unit.
    """

    shape: Shape
    flipped: bool = False
    low: float = Field(default=0.0, ge=0, le=1)
    """What a linear or power curve is worth at the start of the range."""
    high: float = Field(default=1.0, ge=0, le=1)
    """What it is worth at the end of the range."""
    exponent: float = Field(default=2.0, gt=0, le=20)
    middle: float = Field(default=0.5, ge=0, le=1)
    steepness: float = Field(default=10.0, gt=0, le=200)
    width: float = Field(default=0.2, gt=0, le=2)
    sign: str = Field(default=">=", pattern="^(<|<=|>|>=|==|!=)$")
    threshold: FiniteNumber = 0.0
    points: tuple[Point, ...] = ()


Value = bool | FiniteNumber | str | Point
"""What a key can hold, besides nothing at all (None)."""

ParamValue = (
    bool | FiniteNumber | str | Point | KeyRef | PlaceRef | Spread | Curve
)
"""What a chip can hold."""


MILLIONTHS = 1e6
NO_MILLIONTHS = 2**53 / MILLIONTHS
"""From here on a float has no more than six decimals."""


def to_millionths(value: float) -> float:
    """The nearest number with six decimals; what is not finite as it is.

    What comes of reckoning is kept so: 0.2 + 0.1 is the 0.3 that an author
    writes, and the last bits of a processor make no two takes differ.
    """
    if abs(value) < NO_MILLIONTHS:
        return round(value * MILLIONTHS) / MILLIONTHS
    return value


MOST_DECIMALS = 17
"""What two numbers that are shown beside each other may take to be told apart:
more than a float has.
"""


def decimals_apart(one: float, other: float, least: int) -> int:
    """With how many decimals two numbers read as different ones, but at least
    so many; `least` where they are the same.
    """
    if one != other:
        for decimals in range(least, MOST_DECIMALS):
            if round(one, decimals) != round(other, decimals):
                return decimals
        return MOST_DECIMALS
    return least


def number_text(number: float, decimals: int = 3) -> str:
    """The shortest everyday writing of a number, with at most so many
    decimals: 2, 0.5, -1.25.
    """
    # Further on decimals are of the float alone: 0.2 is 0.20000000000000001.
    if decimals > 9:
        return repr(number)
    text = f"{number:.{decimals}f}".rstrip("0").rstrip(".")
    if text in ("-0", ""):
        return "0"
    return text


def times_text(count: float) -> str:
    """How many times something happened: once, 3 times, 4.5 times."""
    if count == 1:
        return "once"
    return f"{number_text(count)} times"


def count_text(count: int, one: str) -> str:
    """How many of something there are, by the word for one of it: 1 row, 3
    rows.
    """
    if count == 1:
        return f"1 {one}"
    return f"{count} {one}s"


def value_text(value: ParamValue | None, unit: str = "") -> str:
    """A value as it is read in a sentence: `2 s ± 0.5`, `(14.2, 6.1)`, `yes`,
    `not set`.
    """
    after = f" {unit}" if unit else ""
    match value:
        case None:
            return "not set"
        case bool():
            return "yes" if value else "no"
        case int() | float():
            return number_text(value) + after
        case Spread(mean=mean, half_width=0):
            return number_text(mean) + after
        case Spread(mean=mean, half_width=half_width):
            return f"{number_text(mean)}{after} ± {number_text(half_width)}"
        case KeyRef(key=name) | PlaceRef(place=name):
            return name
        case Curve(shape=shape, flipped=flipped):
            return f"{shape}, flipped" if flipped else str(shape)
        case (x, y):
            return f"({x:.1f}, {y:.1f})"
        case _:
            return str(value)


class _Named(Protocol):
    @property
    def name(self) -> str: ...


Named = TypeVar("Named", bound=_Named)


def find_named(documents: Iterable[Named], name: str | None) -> Named | None:
    """The first document with this name; None if there is none."""
    for document in documents:
        if document.name == name:
            return document
    return None


def named(documents: Iterable[Named], name: str) -> Named:
    """The first document with this name. Raises KeyError with the name."""
    found = find_named(documents, name)
    if found is None:
        raise KeyError(name)
    return found


def with_changed(
    documents: Iterable[Named], changed: Named
) -> tuple[Named, ...]:
    """The documents, with this one in the place of the one of its name. All
    are as they were if there is none.
    """
    return tuple(
        changed if each.name == changed.name else each for each in documents
    )
