"""How a kind of node is declared: one function or class, from which everything else that names it
follows.

    @action("wait {duration}")
    def wait(me: Me, duration: SpreadSeconds = 1.0) -> Steps:
        '''Stand still for a while.

        duration: how long to wait
        '''

The docstring's first paragraphs are the kind's help; lines `parameter: text` explain its
parameters. A declaration that does not hold together raises DeclarationError when it is imported.
"""

import collections.abc
import inspect
import re
import typing
from collections.abc import Callable, Container, Generator, Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from types import ModuleType
from typing import Annotated, Any, TypeVar

from umbrant.catalog.causes import Cause
from umbrant.catalog.outcomes import OutcomeRule, either, work
from umbrant.catalog.protocols import Progress
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import Condition, Formula, KeySlot, Target
from umbrant.model.values import Curve, KeyType, ParamValue, PlaceRef, Spread

_FIELDS = re.compile(r"\{(\w+)\}")

Steps = Generator[Progress | None, None, bool | Cause]
"""What an action that takes time gives: it yields while it runs on, and returns True, False or why
it failed.
"""


T = TypeVar("T")


class DeclarationError(TypeError):
    """A developer's mistake in the declaration of a kind; raised at import, never because of a
    project.
    """


class Family(StrEnum):
    """Where a kind may stand."""

    COMPOSITE = "composite"
    ACTION = "action"
    CONDITION = "condition"
    DECORATOR = "decorator"
    SENSE = "sense"
    STATE = "state"
    TRANSITION = "transition"
    HOOK = "hook"
    OPTION = "option"
    CONSIDERATION = "consideration"


RUNS = (Family.COMPOSITE, Family.ACTION, Family.CONDITION)
"""The families that decide and act by themselves: they can be the first row of a behavior."""

ROWS = (*RUNS, Family.STATE, Family.TRANSITION, Family.HOOK, Family.OPTION, Family.CONSIDERATION)
"""The families whose kinds can be a row somewhere."""


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


@dataclass(frozen=True)
class Quantity:
    """A number's unit and bounds, and the step that a drag changes it by. `ring` draws it on the
    stage around...
    """

    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float = 1.0
    spread: bool = False
    zero: str = ""
    """What 0 is called, where it stands for something else: 'all'."""
    ring: str = ""
    """'me' or 'target': what a circle with this radius is drawn around when its row is selected; ''
    for none.
    """


@dataclass(frozen=True)
class AcceptsKeys:
    """The types of key that a chip accepts, and whether the node only reads the key."""

    types: tuple[KeyType, ...]
    reads: bool = False


@dataclass(frozen=True)
class HoldsType:
    """Marks a parameter that is written as text but means something else: an agent's name, a group,
    a condition.
    """

    type: ParamType


Metres = Annotated[float, Quantity("m", low=0, step=0.1)]
Reach = Annotated[float, Quantity("m", low=0, step=0.1, ring="target")]
Range = Annotated[float, Quantity("m", low=0, step=0.1, ring="me")]
Seconds = Annotated[float, Quantity("s", low=0, step=0.1)]
SpreadSeconds = Annotated[float, Quantity("s", low=0, step=0.1, spread=True)]
Share = Annotated[float, Quantity("", low=0, high=1, step=0.01)]
Times = Annotated[float, Quantity("times", low=1)]
Number = Annotated[float, Quantity("", step=0.1)]
Live = Callable[[], T]
"""A parameter that is asked for its value each time it is needed: it may be bound to a key, or
drawn from a spread.

Classes declare such parameters, for they are made once; what a function is given was asked for at
its entry. Asking raises Unbound where there is no value.
"""

Amount = Annotated[float, Quantity("", low=0, step=0.1)]
Count = Annotated[float, Quantity("", low=0)]
CountOrAll = Annotated[float, Quantity("", low=0, zero="all")]
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
"""The types of key that a chip may be bound to. Kinds that are not here cannot be bound; KEY chips
name their own.
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
    """Whether the node is given something to ask for the value, instead of the value."""
    writes: bool = False
    """Whether it names a key that the node writes."""

    @property
    def label(self) -> str:
        """The name as it is read."""
        return self.name.replace("_", " ")

    def takes(self, value: ParamValue) -> bool:
        """Whether the chip can hold a value of this type, besides a key."""
        return _fits(value, self.type, ())


_HOLDS: Mapping[ParamType, tuple[type, ...]] = {
    ParamType.NUMBER: (float, int),
    ParamType.SPREAD: (float, int, Spread),
    ParamType.YES_NO: (),
    ParamType.PLACE: (str, tuple, PlaceRef),
    ParamType.KEY: (),
    ParamType.CURVE: (Curve,),
}
"""What a chip may hold besides a key or yes and no; a text where nothing is said here.

A text in a PLACE, AGENT or PROP chip names one of the cast or a prop.
"""


class ChildOrder(StrEnum):
    """In which order a kind goes about the rows nested in it."""

    WRITTEN = "written"
    DRAWN = "drawn"
    TOGETHER = "together"


class NumberKind(StrEnum):
    """What the number beside a running row means, in the column `now`."""

    PROGRESS = "progress"
    """What is left of its work; of a refused row, the number that its guard was refused by."""
    SCORE = "score"
    """An option's score, or what a consideration is worth."""
    CHOICE = "choice"
    """The state or the option that it is at."""
    ACTIVE_FOR = "active for"
    """For how many seconds it has been active."""
    DUE_IN = "due in"
    """In how many seconds it is due."""
    CONDITION = "condition"
    """The number that its condition was refused by."""


@dataclass
class Hooks:
    """What else a project's own action does when its row is entered and when it is left, however it
    is left.
    """

    entered: Callable[..., object] | None = None
    left: Callable[..., object] | None = None


@dataclass(frozen=True)
class Kind:
    """A kind of node: what an author can choose, and how it runs."""

    id: str
    family: Family
    phrase: str
    help: str
    params: tuple[Param, ...]
    run: Callable[..., Any]
    outcomes: Mapping[str, str]
    """Outcome ('success', 'failure', 'running', or a sense's 'value') and what it means here."""
    takes_time: bool = False
    unit: str = ""
    """The unit of what a sense gives or measures."""
    gives: KeyType | None = None
    """The type of what a sense gives."""
    gives_reading: bool = False
    """Whether a sense gives nothing but Readings."""
    in_line: str = ""
    """A sense that says yes or no, as a Python expression of its parameters in {braces}: the same
    as `run`, sooner.
    """
    summary: str = ""
    """How a composite goes about its children, for reasons: 'tries its children in order'."""
    goes_on_after: str = ""
    """The outcome of a child after which a composite goes on to the next: 'success' or 'failure';
    empty where children do not follow one another.
    """
    order: ChildOrder = ChildOrder.WRITTEN
    rests: str = ""
    """What a child that has ended does while the others run, where they run together: 'waits for
    the others'.
    """
    holds: tuple[Family, ...] = ()
    """The families of the rows that may be nested in it."""
    can_end: OutcomeRule = either
    """What a row of this kind can come to."""
    number: NumberKind = NumberKind.PROGRESS
    """What the number beside its row means."""
    is_gate: bool = False
    """Whether a decorator can keep its row from being entered."""
    reports_gauges: bool = False
    """Whether it is given a `GaugeSink` as `report`."""
    example: str = ""
    intents: tuple[str, ...] = ()
    """What an author may want it for, in words that are not in its name: the search finds it by
    them.
    """
    """Its meaning by a small example, in one or two sentences."""
    own: str = ""
    """The project's file that declares it; empty for what comes with the program."""
    own_line: int = 0
    """The line of that file at which its function stands."""
    hooks: Hooks = field(default_factory=Hooks, compare=False)

    @property
    def allows_take_over(self) -> bool:
        """Whether a child can take over from a later one: they follow in the written order."""
        return bool(self.goes_on_after) and self.order is ChildOrder.WRITTEN

    @property
    def moves_on(self) -> str:
        """How a child has to end for the next to be tried, as a verb."""
        return {"failure": "fails", "success": "has succeeded"}.get(self.goes_on_after, "has ended")

    def entered(self, hook: Callable[..., object]) -> Callable[..., object]:
        """Have a function called when a row of this kind is entered: with the agent and the node's
        arguments.
        """
        self.hooks.entered = hook
        return hook

    def left(self, hook: Callable[..., object]) -> Callable[..., object]:
        """Have a function called when it is left: with the agent, how it ended, and the arguments.

        How is 'success', 'failure' or 'stopped'.
        """
        self.hooks.left = hook
        return hook

    @property
    def title(self) -> str:
        """The id as words: `move_to` is *move to*."""
        return self.id.replace("_", " ")

    def param(self, name: str) -> Param | None:
        """The parameter with this name, None if there is none."""
        return next((param for param in self.params if param.name == name), None)

    def stretches(
        self, also: Container[str] = ()
    ) -> list[tuple[bool, list[tuple[str, Param | None]]]]:
        """The phrase in stretches, each with whether it is an optional one: (text, None) and ('',
        parameter) pieces.

        An optional stretch, in [brackets], is left out unless one of its parameters is in `also`.
        """
        found = []
        for stretch in re.split(r"(\[[^\]]*\])", self.phrase):
            optional = stretch.startswith("[")
            if optional and not any(name in also for name in _FIELDS.findall(stretch)):
                continue
            parts: list[tuple[str, Param | None]] = []
            for piece in re.split(r"(\{\w+\})", stretch.strip("[]")):
                if piece.startswith("{"):
                    parts.append(("", self.param(piece[1:-1])))
                elif piece.strip():
                    parts.append((piece.strip(), None))
            found.append((optional, parts))
        return found

    def phrase_parts(self, also: Container[str] = ()) -> list[tuple[str, Param | None]]:
        """The stretches one after the other."""
        return [part for _, parts in self.stretches(also) for part in parts]


@dataclass(frozen=True)
class Catalog:
    """All kinds there are, by id."""

    kinds: Mapping[str, Kind]

    @classmethod
    def of(cls, modules: Iterable[ModuleType]) -> "Catalog":
        """Gather the kinds that these modules declare, in the order of the modules and within them
        of the source.
        """
        kinds: dict[str, Kind] = {}
        for module in modules:
            for value in vars(module).values():
                if isinstance(value, Kind) and value.run.__module__ == module.__name__:
                    if value.id in kinds:
                        raise DeclarationError(
                            f"two kinds are called '{value.id}'; rename the one in "
                            f"{module.__name__}"
                        )
                    kinds[value.id] = value
        return cls(kinds)

    def family(self, *families: Family) -> list[Kind]:
        """The kinds of these families."""
        return [kind for kind in self.kinds.values() if kind.family in families]

    def get(self, kind_id: str, *families: Family) -> Kind | None:
        """The kind with this id, if it is of one of these families."""
        kind = self.kinds.get(kind_id)
        return kind if kind is not None and kind.family in families else None


Declared = Callable[[Callable[..., Any]], Kind]


def action(
    phrase: str, *, success: str = "done", failure: str = "", can_end: OutcomeRule | None = None
) -> Declared:
    """Declare an action. A generator function takes time; any other is done at once, and can serve
    as upkeep. It can fail if it says when, unless `can_end` says more.
    """
    declare = _declared(Family.ACTION, phrase, {"success": success, "failure": failure})
    ends = can_end or work(bool(failure))
    return lambda run: replace(declare(run), can_end=ends)


def condition(phrase: str, *, success: str = "it is so", failure: str = "it is not so") -> Declared:
    """Declare a condition row: a function that answers at once."""
    return _declared(Family.CONDITION, phrase, {"success": success, "failure": failure})


def composite(
    phrase: str,
    *,
    success: str,
    failure: str,
    summary: str,
    can_end: OutcomeRule,
    goes_on_after: str = "",
    order: ChildOrder = ChildOrder.WRITTEN,
    rests: str = "",
    name: str = "",
    holds: tuple[Family, ...] = RUNS,
    number: NumberKind = NumberKind.PROGRESS,
) -> Declared:
    """Declare a composite: a class made from its children and its parameters. The words are as in
    `Kind`.

    A class without `children` only says how the author set it up; the engine knows how such a kind
    runs.
    """
    outcomes = {"success": success, "failure": failure, "running": "a child runs"}
    declare = _declared(Family.COMPOSITE, phrase, outcomes, name=name)
    return lambda run: _checked(
        replace(
            declare(run),
            summary=summary,
            goes_on_after=goes_on_after,
            order=order,
            rests=rests,
            holds=holds,
            can_end=can_end,
            number=number,
        )
    )


def part(
    family: Family,
    phrase: str,
    *,
    name: str,
    number: NumberKind,
    holds: tuple[Family, ...] = (),
    order: ChildOrder = ChildOrder.WRITTEN,
    can_end: OutcomeRule = either,
    **outcomes: str,
) -> Declared:
    """Declare a part of a machine or a utility: a class that says how the author set it up. `name`
    is its id.
    """
    declare = _declared(family, phrase, outcomes, name=name)
    return lambda run: replace(
        declare(run), number=number, holds=holds, order=order, can_end=can_end
    )


def decorator(
    phrase: str,
    *,
    can_end: OutcomeRule,
    success: str = "as the row",
    failure: str = "as the row",
) -> Declared:
    """Declare a decorator: a class made from the work it wraps and its parameters.

    One with a method `refusal` is a gate.
    """
    declare = _declared(Family.DECORATOR, phrase, {"success": success, "failure": failure})
    return lambda run: replace(
        declare(run), can_end=can_end, is_gate=callable(getattr(run, "refusal", None))
    )


def sense(
    phrase: str, *, gives: KeyType, unit: str = "", value: str = "", in_line: str = ""
) -> Declared:
    """Declare a sense: a function that answers at once, for conditions.

    A sense of yes or no can also be given as an expression with `in_line`.
    """
    return _declared(
        Family.SENSE,
        phrase,
        {"value": value or gives.value},
        unit=unit,
        gives=gives,
        in_line=in_line,
    )


def _checked(kind: Kind) -> Kind:
    """A composite whose facts agree with each other. Raises DeclarationError."""
    if kind.goes_on_after not in ("", "success", "failure"):
        raise DeclarationError(
            f"kind '{kind.id}': `goes_on_after` is an outcome, 'success' or 'failure'"
        )
    if (kind.order is ChildOrder.TOGETHER) != bool(kind.rests):
        raise DeclarationError(
            f"kind '{kind.id}': say with `rests` what a child that has ended does while the others "
            "run, and only where children run together"
        )
    return kind


def _declared(
    family: Family,
    phrase: str,
    outcomes: Mapping[str, str],
    *,
    name: str = "",
    unit: str = "",
    gives: KeyType | None = None,
    in_line: str = "",
) -> Declared:
    given = name

    def declare(run: Callable[..., Any]) -> Kind:
        name = given or _snake(run.__name__)
        about, example, intents, explained = _help_of(name, inspect.getdoc(run) or "")
        takes_time = inspect.isgeneratorfunction(run)
        known = {outcome: text for outcome, text in outcomes.items() if text}
        if takes_time:
            known["running"] = "not there yet"
        kind = Kind(
            name,
            family,
            phrase,
            about,
            _params_of(name, run, explained),
            run,
            known,
            takes_time,
            unit,
            gives,
            inspect.signature(run).return_annotation is Reading,
            in_line,
            example=example,
            intents=intents,
            reports_gauges=_tells(run),
        )
        _check_phrase(kind)
        return kind

    return declare


def _tells(run: Callable[..., Any]) -> bool:
    return "report" in inspect.signature(run).parameters


def _snake(name: str) -> str:
    return re.sub(r"(?<=[a-z])(?=[A-Z])", "_", name).lower()


def _help_of(name: str, doc: str) -> tuple[str, str, tuple[str, ...], dict[str, str]]:
    """The help text, the example, the words after `For:`, and the text on each parameter. Raises
    DeclarationError without help.
    """
    explained: dict[str, str] = {}
    paragraphs: list[str] = []
    example, intents = "", ""
    for paragraph in doc.split("\n\n"):
        text, params = _without_params(paragraph)
        explained.update(params)
        if text.startswith("Example: "):
            example = text.removeprefix("Example: ")
        elif text.startswith("For: "):
            intents = text.removeprefix("For: ").removesuffix(".")
        elif text:
            paragraphs.append(text)
    about = "\n\n".join(paragraphs)
    if not about:
        raise DeclarationError(f"kind '{name}' has no help: write what it does as its docstring")
    wanted = tuple(each.strip() for each in intents.split(",") if each.strip())
    return about, example, wanted, explained


def _without_params(paragraph: str) -> tuple[str, dict[str, str]]:
    """A paragraph as one line without its `parameter: text` lines, and these.

    A line that does not begin a parameter goes on with what stands above it.
    """
    plain: list[str] = []
    params: dict[str, str] = {}
    last = ""
    for line in paragraph.splitlines():
        begins = re.match(r"([a-z]\w*): (.+)$", line.strip())
        if begins:
            last = begins[1]
            params[last] = begins[2]
        elif last:
            params[last] = f"{params[last]} {line.strip()}"
        else:
            plain.append(line.strip())
    return " ".join(plain).strip(), params


def _params_of(
    name: str, run: Callable[..., Any], explained: Mapping[str, str]
) -> tuple[Param, ...]:
    target = run.__init__ if inspect.isclass(run) else run
    hints = typing.get_type_hints(target, include_extras=True)
    plain = ("self", "me", "children", "inner", "report")
    found = []
    for param in inspect.signature(target).parameters.values():
        if param.name in plain:
            continue
        if param.name not in hints:
            raise DeclarationError(
                f"kind '{name}': '{param.name}' has no type; write one, such as `Metres` or `str`"
            )
        if param.name not in explained:
            raise DeclarationError(
                f"kind '{name}': say in its docstring what '{param.name}' is (`{param.name}: ...`)"
            )
        found.append(
            _param_of(
                name,
                param,
                hints[param.name],
                explained[param.name],
                bound_at_entry=not inspect.isclass(run),
            )
        )
    return tuple(found)


def _param_of(
    kind: str, param: inspect.Parameter, hint: Any, about: str, *, bound_at_entry: bool
) -> Param:
    live = typing.get_origin(hint) is collections.abc.Callable and bool(
        typing.get_args(hint)[0] == []
    )
    if live:
        hint = typing.get_args(hint)[1]
    if type(None) in typing.get_args(hint):
        hint = next(each for each in typing.get_args(hint) if each is not type(None))
    marks = getattr(hint, "__metadata__", ())
    base = typing.get_args(hint)[0] if marks else hint
    quantity = next((mark for mark in marks if isinstance(mark, Quantity)), Quantity())
    held = next((mark for mark in marks if isinstance(mark, AcceptsKeys)), None)
    holds = held.types if held else ()
    marked = next((mark.type for mark in marks if isinstance(mark, HoldsType)), None)
    choices: tuple[str, ...] = (
        typing.get_args(base) if typing.get_origin(base) is typing.Literal else ()
    )
    plain = {
        str: ParamType.TEXT,
        bool: ParamType.YES_NO,
        Target: ParamType.PLACE,
        Condition: ParamType.CONDITION,
        Formula: ParamType.FORMULA,
        Curve: ParamType.CURVE,
    }
    if marked:
        kind_of = marked
    elif holds:
        kind_of = ParamType.KEY
    elif choices:
        kind_of = ParamType.CHOICE
    elif base is float:
        kind_of = ParamType.SPREAD if quantity.spread else ParamType.NUMBER
    elif base in plain:
        kind_of = plain[base]
    else:
        raise DeclarationError(
            f"kind '{kind}': '{param.name}' has the type {hint}, which no chip can hold"
        )
    required = param.default is inspect.Parameter.empty
    default = (
        None
        if required
        else param.default.value
        if isinstance(param.default, Fixed)
        else param.default
    )
    if quantity.spread and isinstance(default, int | float):
        default = Spread(mean=default, half_width=0)
    if default is not None and not _fits(default, kind_of, choices):
        raise DeclarationError(
            f"kind '{kind}': the default of '{param.name}' is {default!r}, which it cannot hold"
        )
    bindable = holds or (BINDABLE.get(kind_of, ()) if bound_at_entry or live else ())
    return Param(
        param.name,
        kind_of,
        about,
        default,
        required,
        quantity,
        choices,
        bindable,
        live,
        bool(held and not held.reads),
    )


def _fits(default: object, type_: ParamType, choices: tuple[str, ...]) -> bool:
    """Whether a value is of a type that a chip can hold."""
    if isinstance(default, bool):
        return type_ is ParamType.YES_NO
    if choices:
        return default in choices
    return isinstance(default, _HOLDS.get(type_, (str,)))


def _check_phrase(kind: Kind) -> None:
    for name in _FIELDS.findall(kind.in_line):
        if kind.param(name) is None:
            raise DeclarationError(
                f"kind '{kind.id}': in line it names '{name}', which is none of its parameters"
            )
    for name in _FIELDS.findall(kind.phrase):
        if kind.param(name) is None:
            raise DeclarationError(
                f"kind '{kind.id}': its phrase names '{name}', which is none of its parameters"
            )
    for param in kind.params:
        if f"{{{param.name}}}" not in kind.phrase:
            raise DeclarationError(f"kind '{kind.id}': its phrase does not name '{param.name}'")
