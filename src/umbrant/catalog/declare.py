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
from collections.abc import Callable, Generator, Hashable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from umbrant.catalog.causes import SENTENCES, Cause
from umbrant.catalog.kind import (
    FIELDS,
    RUNS,
    ChildOrder,
    DeclarationError,
    Family,
    Kind,
    NoiseFact,
    NumberKind,
)
from umbrant.catalog.outcomes import OutcomeRule, either, work
from umbrant.catalog.params import (
    BINDABLE,
    AcceptsKeys,
    Fixed,
    HoldsType,
    Param,
    ParamType,
    Quantity,
    fits,
)
from umbrant.catalog.protocols import Progress
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import Condition, Formula, Target
from umbrant.model.values import Curve, KeyType, Spread

Steps = Generator[Progress | None, None, bool | Cause]
"""What an action that takes time gives: it yields while it runs on, and
returns True, False or why it failed.
"""


Declared = Callable[[Callable[..., Any]], Kind]

NO_FACTS: Mapping[str, str] = {}


def action(
    phrase: str,
    *,
    success: str = "done",
    failure: str = "",
    can_end: OutcomeRule | None = None,
    noise: NoiseFact | None = None,
    facts: Mapping[str, str] = NO_FACTS,
) -> Declared:
    """Declare an action. A generator function takes time; any other is done at
    once, and can serve as upkeep. It can fail if it says when, unless
    `can_end` says more. `facts` are as in `Kind`.
    """
    declare = _declared(
        Family.ACTION, phrase, {"success": success, "failure": failure}
    )
    ends = can_end or work(bool(failure))
    return lambda run: _audible(
        _factual(replace(declare(run), can_end=ends, noise=noise, facts=facts))
    )


def condition(
    phrase: str, *, success: str = "it is so", failure: str = "it is not so"
) -> Declared:
    """Declare a condition row: a function that answers at once."""
    return _declared(
        Family.CONDITION, phrase, {"success": success, "failure": failure}
    )


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
    facts: Mapping[str, str] = NO_FACTS,
) -> Declared:
    """Declare a composite: a class made from its children and its parameters.
    The words are as in `Kind`.

    A class without `children` only says how the author set it up; the engine
    knows how such a kind runs.
    """
    outcomes = {
        "success": success,
        "failure": failure,
        "running": "a child runs",
    }
    declare = _declared(Family.COMPOSITE, phrase, outcomes, name=name)
    return lambda run: _checked(
        replace(
            declare(run),
            facts=facts,
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
    """Declare a part of a machine or a utility: a class that says how the
    author set it up. `name` is its id.
    """
    declare = _declared(family, phrase, outcomes, name=name)
    return lambda run: replace(
        declare(run), number=number, holds=holds, order=order, can_end=can_end
    )


def decorator(
    phrase: str,
    *,
    can_end: OutcomeRule,
    keeps_work: bool = False,
    weighs: bool = False,
    success: str = "as the row",
    failure: str = "as the row",
    facts: Mapping[str, str] = NO_FACTS,
) -> Declared:
    """Declare a decorator: a class made from the work it wraps and its
    parameters. `facts` are as in `Kind`.

    One with a method `refusal` is a gate.
    """
    declare = _declared(
        Family.DECORATOR, phrase, {"success": success, "failure": failure}
    )
    return lambda run: _factual(
        replace(
            declare(run),
            can_end=can_end,
            facts=facts,
            keeps_work=keeps_work,
            weighs=weighs,
            is_gate=callable(getattr(run, "refusal", None)),
        )
    )


def sense(
    phrase: str,
    *,
    gives: KeyType,
    unit: str = "",
    value: str = "",
    in_line: str = "",
    bounded_by: str = "",
) -> Declared:
    """Declare a sense: a function that answers at once, for conditions.

    A sense of yes or no can also be given as an expression with `in_line`.
    `bounded_by` is as in `Kind`.
    """
    return _declared(
        Family.SENSE,
        phrase,
        {"value": value or gives.value},
        unit=unit,
        gives=gives,
        in_line=in_line,
        bounded_by=bounded_by,
    )


def _audible(kind: Kind) -> Kind:
    """An action whose noise is as loud as one of its parameters says. Raises
    DeclarationError.
    """
    loudness = kind.noise.loudness if kind.noise is not None else 0.0
    if isinstance(loudness, str) and kind.param(loudness) is None:
        raise DeclarationError(
            f"kind '{kind.id}': its noise is as loud as '{loudness}' says, which is none of its "
            "parameters"
        )
    return kind


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
    return _factual(kind)


def _factual(kind: Kind) -> Kind:
    """A kind whose causes have facts that are its parameters. Raises
    DeclarationError where there is no such fact or no such parameter.
    """
    for place, param in kind.facts.items():
        cause_kind, _, fact = place.partition(".")
        is_known = place == "gauge.of" or f"{{{fact}}}" in SENTENCES.get(
            cause_kind, ""
        )
        if not is_known or kind.param(param) is None:
            raise DeclarationError(
                f"kind '{kind.id}': '{place}' is no fact of a cause, or '{param}' none of its "
                "parameters"
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
    bounded_by: str = "",
) -> Declared:
    given = name

    def declare(run: Callable[..., Any]) -> Kind:
        name = given or _snake(run.__name__)
        about, example, intents, explained = _help_of(
            name, inspect.getdoc(run) or ""
        )
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
            bounded_by,
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


def _help_of(
    name: str, doc: str
) -> tuple[str, str, tuple[str, ...], dict[str, str]]:
    """The help text, the example, the words after `For:`, and the text on each
    parameter. Raises DeclarationError without help.
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
        raise DeclarationError(
            f"kind '{name}' has no help: write what it does as its docstring"
        )
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
    if inspect.isclass(run):
        target = run.__init__
    else:
        target = run
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


@dataclass(frozen=True)
class _Annotation:
    """What a parameter's type says of it."""

    base: Any
    """The type without its marks: `float`, `str`, a `Literal` …"""
    quantity: Quantity
    keys: AcceptsKeys | None
    """For a parameter that is a key: which keys it may be."""
    held: ParamType | None
    """What a type of our own holds."""
    is_live: bool
    """Whether it is a callable, asked anew each time that it is wanted."""

    @property
    def choices(self) -> tuple[str, ...]:
        """The values of a `Literal`; empty for any other type."""
        if typing.get_origin(self.base) is typing.Literal:
            return typing.get_args(self.base)
        return ()

    @property
    def param_type(self) -> ParamType | None:
        """What a chip holds; None for a type that none can hold."""
        # A mark says more than the type that it stands at, so it is heeded
        # first.
        if self.held is not None:
            return self.held
        if self.keys is not None and self.keys.types:
            return ParamType.KEY
        if self.choices:
            return ParamType.CHOICE
        if self.base is float:
            if self.quantity.spread:
                return ParamType.SPREAD
            return ParamType.NUMBER
        if isinstance(self.base, Hashable):
            return PLAIN_TYPES.get(self.base)
        return None


PLAIN_TYPES: Mapping[Any, ParamType] = {
    str: ParamType.TEXT,
    bool: ParamType.YES_NO,
    Target: ParamType.PLACE,
    Condition: ParamType.CONDITION,
    Formula: ParamType.FORMULA,
    Curve: ParamType.CURVE,
}
"""What a chip holds for a parameter of a type without marks."""


def _annotation(hint: Any) -> _Annotation:
    """Read a type: `Callable[[], T]` is a live T, and `T | None` a T that may
    be left out.
    """
    arguments = typing.get_args(hint)
    is_live = (
        typing.get_origin(hint) is collections.abc.Callable
        and arguments[0] == []
    )
    if is_live:
        hint = arguments[1]
    if type(None) in typing.get_args(hint):
        hint = next(
            each for each in typing.get_args(hint) if each is not type(None)
        )
    marks = getattr(hint, "__metadata__", ())
    if marks:
        base = typing.get_args(hint)[0]
    else:
        base = hint
    return _Annotation(
        base,
        next(
            (mark for mark in marks if isinstance(mark, Quantity)), Quantity()
        ),
        next((mark for mark in marks if isinstance(mark, AcceptsKeys)), None),
        next(
            (mark.type for mark in marks if isinstance(mark, HoldsType)), None
        ),
        is_live,
    )


def _default_of(param: inspect.Parameter, quantity: Quantity) -> Any:
    """The value of a parameter that is not given; None where it must be."""
    default = param.default
    if default is inspect.Parameter.empty:
        return None
    if isinstance(default, Fixed):
        default = default.value
    if quantity.spread and isinstance(default, int | float):
        return Spread(mean=default, half_width=0)
    return default


def _param_of(
    kind: str,
    param: inspect.Parameter,
    hint: Any,
    about: str,
    *,
    bound_at_entry: bool,
) -> Param:
    """The declaration of a parameter. Raises DeclarationError."""
    found = _annotation(hint)
    param_type, choices = found.param_type, found.choices
    if param_type is None:
        raise DeclarationError(
            f"kind '{kind}': '{param.name}' has the type {hint}, which no chip can hold"
        )
    default = _default_of(param, found.quantity)
    if default is not None and not fits(default, param_type, choices):
        raise DeclarationError(
            f"kind '{kind}': the default of '{param.name}' is {default!r}, which it cannot hold"
        )
    if found.keys is not None:
        bindable = found.keys.types
    else:
        bindable = ()
    if not bindable and (bound_at_entry or found.is_live):
        bindable = BINDABLE.get(param_type, ())
    return Param(
        param.name,
        param_type,
        about,
        default,
        param.default is inspect.Parameter.empty,
        found.quantity,
        choices,
        bindable,
        found.is_live,
        found.keys is not None and not found.keys.reads,
    )


def _check_phrase(kind: Kind) -> None:
    for name in FIELDS.findall(kind.in_line):
        if kind.param(name) is None:
            raise DeclarationError(
                f"kind '{kind.id}': in line it names '{name}', which is none of its parameters"
            )
    if kind.bounded_by and kind.param(kind.bounded_by) is None:
        raise DeclarationError(
            f"kind '{kind.id}': it is bounded by '{kind.bounded_by}', which is none of its "
            "parameters"
        )
    for name in FIELDS.findall(kind.phrase):
        if kind.param(name) is None:
            raise DeclarationError(
                f"kind '{kind.id}': its phrase names '{name}', which is none of its parameters"
            )
    for param in kind.params:
        if f"{{{param.name}}}" not in kind.phrase:
            raise DeclarationError(
                f"kind '{kind.id}': its phrase does not name '{param.name}'"
            )
