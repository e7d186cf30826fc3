"""What the parameters of kinds hold: the chips of a row, with their units,
bounds and keys.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, TypeVar

from umbrant.catalog.world import KeySlot, Target
from umbrant.model.values import Curve, KeyType, ParamValue, PlaceRef, Spread

T = TypeVar("T")


class ParamType(StrEnum):
    """What a chip holds, which decides how it is edited and checked."""

    NUMBER = "number"
    SPREAD = "spread"
    TEXT = "text"
    YES_NO = "yes/no"
    CHOICE = "choice"
    PLACE = "place"
    AGENT = "agent"
    PROP = "prop"
    KEY = "key"
    GROUP = "group"
    CONDITION = "condition"
    FORMULA = "formula"
    CURVE = "curve"
    STATE = "state"
    EVENT = "event"
    BEHAVIOR = "behavior"
    STAT = "stat"
    ZONE = "zone"


NUMBERS = (ParamType.NUMBER, ParamType.SPREAD)
"""The types of parameters that hold a number."""


@dataclass(frozen=True)
class Quantity:
    """A number's unit and bounds, and the step that a drag changes it by."""

    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float = 1.0
    spread: bool = False
    is_count: bool = False
    """Whether it counts something: the engine takes the nearest integer."""
    zero: str = ""
    """What 0 is called, where it stands for something else: 'all'."""
    ring: str = ""
    """'me' or 'target': what a circle with this radius is drawn around when
    its row is selected; '' for none.
    """


@dataclass(frozen=True)
class AcceptsKeys:
    """The types of key that a chip accepts, and whether the node only reads
    the key.
    """

    types: tuple[KeyType, ...]
    reads: bool = False


@dataclass(frozen=True)
class HoldsType:
    """Marks a parameter that is written as text but means something else: an
    agent's name, a group, a condition.
    """

    type: ParamType


Metres = Annotated[float, Quantity("m", low=0, step=0.1)]
Reach = Annotated[float, Quantity("m", low=0, step=0.1, ring="target")]
Range = Annotated[float, Quantity("m", low=0, step=0.1, ring="me")]
Seconds = Annotated[float, Quantity("s", low=0, step=0.1)]
SpreadSeconds = Annotated[float, Quantity("s", low=0, step=0.1, spread=True)]
Share = Annotated[float, Quantity("", low=0, high=1, step=0.01)]
Times = Annotated[float, Quantity("times", low=1, is_count=True)]
Number = Annotated[float, Quantity("", step=0.1)]
Live = Callable[[], T]
"""A parameter that is asked for its value each time it is needed: it may be
bound to a key, or drawn from a spread.

Classes declare such parameters, for they are made once; what a function is
given was asked for at its entry. Asking raises Unbound where there is no
value.
"""

Amount = Annotated[float, Quantity("", low=0, step=0.1)]
Count = Annotated[float, Quantity("", low=0, is_count=True)]
CountOrAll = Annotated[float, Quantity("", low=0, is_count=True, zero="all")]
Degrees = Annotated[float, Quantity("°", low=0, high=360)]
StateName = Annotated[str, HoldsType(ParamType.STATE)]
EventName = Annotated[str, HoldsType(ParamType.EVENT)]
BehaviorName = Annotated[str, HoldsType(ParamType.BEHAVIOR)]
StatName = Annotated[str, HoldsType(ParamType.STAT)]
ZoneName = Annotated[str, HoldsType(ParamType.ZONE)]
AnAgent = Annotated[Target, HoldsType(ParamType.AGENT)]
AProp = Annotated[Target, HoldsType(ParamType.PROP)]
Group = Annotated[str, HoldsType(ParamType.GROUP)]
AnyKey = Annotated[KeySlot, AcceptsKeys(tuple(KeyType))]
ReadKey = Annotated[KeySlot, AcceptsKeys(tuple(KeyType), reads=True)]
PointKey = Annotated[KeySlot, AcceptsKeys((KeyType.POINT,))]
YesNoKey = Annotated[KeySlot, AcceptsKeys((KeyType.YES_NO,))]
NumberKey = Annotated[KeySlot, AcceptsKeys((KeyType.NUMBER,))]
TextKey = Annotated[KeySlot, AcceptsKeys((KeyType.TEXT,))]
AgentKey = Annotated[KeySlot, AcceptsKeys((KeyType.AGENT,))]
NamedKey = Annotated[KeySlot, AcceptsKeys((KeyType.AGENT, KeyType.PROP))]
PropKey = Annotated[KeySlot, AcceptsKeys((KeyType.PROP,))]

BINDABLE: Mapping[ParamType, tuple[KeyType, ...]] = {
    ParamType.NUMBER: (KeyType.NUMBER,),
    ParamType.SPREAD: (KeyType.NUMBER,),
    ParamType.TEXT: (KeyType.TEXT,),
    ParamType.YES_NO: (KeyType.YES_NO,),
    ParamType.PLACE: (KeyType.POINT, KeyType.AGENT, KeyType.PROP),
    ParamType.AGENT: (KeyType.AGENT,),
    ParamType.PROP: (KeyType.PROP,),
}
"""The types of key that a chip may be bound to. Kinds that are not here cannot
be bound; KEY chips name their own.
"""


@dataclass(frozen=True)
class Fixed:
    """A value that is always the same, as the default of a live parameter."""

    value: float

    def __call__(self) -> float:
        return self.value


@dataclass(frozen=True)
class Param:
    """One chip of a kind."""

    name: str
    type: ParamType
    help: str
    default: ParamValue | None = None
    required: bool = False
    quantity: Quantity = Quantity()
    choices: tuple[str, ...] = ()
    keys: tuple[KeyType, ...] = ()
    """The types of key it may name or be bound to."""
    live: bool = False
    """Whether the node is given something to ask for the value, instead of the
    value.
    """
    writes: bool = False
    """Whether it names a key that the node writes."""

    @property
    def label(self) -> str:
        """The name as it is read."""
        return self.name.replace("_", " ")

    def takes(self, value: ParamValue) -> bool:
        """Whether the chip can hold a value of this type, besides a key."""
        return fits(value, self.type, ())

    @property
    def written(self) -> str:
        """How a value is written in a file: an example, in JSON."""
        if self.choices:
            return " or ".join(f'"{each}"' for each in self.choices)
        return _WRITTEN.get(self.type, '"a text"')


_HOLDS: Mapping[ParamType, tuple[type, ...]] = {
    ParamType.NUMBER: (float, int),
    ParamType.SPREAD: (float, int, Spread),
    ParamType.YES_NO: (),
    ParamType.PLACE: (str, tuple, PlaceRef),
    ParamType.KEY: (),
    ParamType.CURVE: (Curve,),
}
"""What a chip may hold besides a key or yes and no; a text where nothing is
said here.

A text in a PLACE, AGENT or PROP chip names one of the cast or a prop.
"""

_WRITTEN: Mapping[ParamType, str] = {
    ParamType.NUMBER: "2.5",
    ParamType.SPREAD: '2.5 or {"mean": 2, "half_width": 0.5}',
    ParamType.YES_NO: "true or false",
    ParamType.PLACE: '[12, 4] or {"place": "gate"} or "lamp"',
    ParamType.KEY: '{"key": "mood"}',
    ParamType.CURVE: '{"shape": "linear"}',
}
"""What a value looks like in a file; a text where nothing is said here."""


def fits(default: object, type_: ParamType, choices: tuple[str, ...]) -> bool:
    """Whether a value is of a type that a chip can hold."""
    if isinstance(default, bool):
        return type_ is ParamType.YES_NO
    if choices:
        return default in choices
    return isinstance(default, _HOLDS.get(type_, (str,)))
