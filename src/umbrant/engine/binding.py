"""From what an author put into a chip to what a node's function is given."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache, partial
from inspect import Parameter, signature
from itertools import takewhile
from typing import Any, Protocol

from umbrant.catalog.causes import Cause, cause
from umbrant.catalog.codegen.expression import BoundSense
from umbrant.catalog.kind import Catalog, Kind
from umbrant.catalog.language.atom_results import with_range
from umbrant.catalog.language.bound_condition import (
    BoundCondition,
    bind_formula,
)
from umbrant.catalog.language.check import bound_args, faults
from umbrant.catalog.language.tree import (
    KeyTerm,
    NumberTerm,
    SenseCall,
    TextTerm,
    parse,
)
from umbrant.catalog.language.written import written_range
from umbrant.catalog.params import Param, ParamType
from umbrant.catalog.protocols import Unbound, discard
from umbrant.catalog.readings import Reading
from umbrant.catalog.world import Me
from umbrant.engine.board import BindFormula, Board, LiveKey
from umbrant.engine.project_calls import (
    UNWATCHED,
    CallSite,
    CallWatch,
    reading_of,
)
from umbrant.engine.project_view import AgentOfNode, as_node_argument
from umbrant.engine.recorder import Recorder
from umbrant.model.behaviors import Key
from umbrant.model.expanded import KeyScope
from umbrant.model.printable import printable
from umbrant.model.values import (
    KeyRef,
    ParamValue,
    PlaceRef,
    Point,
    Spread,
    Value,
    value_text,
)


class BoundAgent(Me, Protocol):
    """An agent as the engine sees it: the `Me` of its nodes, whose blackboard
    is a `Board`.
    """

    @property
    def board(self) -> Board: ...


Binder = Callable[[], Any]
"""Gives an argument its value. Called each time a row is entered; raises
Unbound where there is none.
"""

TARGETS = (ParamType.PLACE, ParamType.AGENT, ParamType.PROP)


@dataclass(frozen=True)
class Constant:
    """A binder whose value never changes."""

    value: Any

    def __call__(self) -> Any:
        return self.value


@dataclass(frozen=True)
class PointTarget:
    """A point written in a chip."""

    point: Point
    label: str
    name: None = None

    def at(self) -> Point | Cause:
        return self.point


@dataclass(frozen=True)
class PlaceTarget:
    """A named place of the stage."""

    me: Me
    label: str
    name: None = None

    def at(self) -> Point | Cause:
        return self.me.world.place(self.label) or cause(
            "not_there", name=self.label
        )


@dataclass(frozen=True)
class NamedTarget:
    """One of the cast, or a prop, by its name; failing these a place."""

    me: Me
    label: str

    @property
    def name(self) -> str | None:
        return self.label

    def at(self) -> Point | Cause:
        world = self.me.world
        found = world.body(self.label) or world.prop(self.label)
        if found is not None:
            return found.place
        return world.place(self.label) or cause("not_there", name=self.label)


@dataclass(frozen=True)
class KeyTarget:
    """The body, prop or point that a key names. The key is read at each call,
    so the target follows its changes.
    """

    me: Me
    label: str
    key: LiveKey

    @property
    def name(self) -> str | None:
        value = self.key.value
        if isinstance(value, str):
            return value
        return None

    def at(self) -> Point | Cause:
        value = self.key.value
        if value is None:
            return cause("not_set", key=self.label)
        if isinstance(value, str):
            return NamedTarget(self.me, value).at()
        # A chip for a place takes keys of points, agents and props alone: the
        # value is a point.
        return value  # type: ignore[return-value]


class LiveFormula:
    """A formula of one row, bound to its agent."""

    def __init__(self, bind: BindFormula) -> None:
        self.cause: Cause | None = None
        self._value = bind(self._note)

    def _note(self, cause: Cause | None) -> None:
        self.cause = cause

    def value(self) -> float | None:
        """Work it out now; None where something in it is unknown. Yes counts 1
        and no 0.
        """
        got = self._value()
        if isinstance(got, int | float):
            return float(got)
        return None


@dataclass(frozen=True)
class BindingScope:
    """All that binding needs to know of one agent and of the key scope that a
    row belongs to.

    Also where its conditions get their values from.
    """

    me: BoundAgent
    key_scope: KeyScope
    catalog: Catalog
    recorder: Recorder
    watch: CallWatch = UNWATCHED
    """Is told when a project's own code is entered and left."""
    conditions: dict[tuple[str, str], BoundCondition] = field(
        default_factory=dict
    )
    """The conditions of the agent that have been bound, by their rows and
    parts.
    """

    @property
    def keys(self) -> Mapping[str, Key]:
        """The keys by the names that the rows of the key scope use."""
        return self.key_scope.keys

    def key(self, name: str) -> LiveKey:
        """A key by the name that the rows of the key scope use. Raises
        KeyError.
        """
        return self.me.board.key(self.key_scope.actual.get(name, name))

    def formula(
        self, text: str, unknown: Callable[[Cause | None], None] = discard
    ) -> Callable[[], Value | None]:
        """What works out a formula; `unknown` is told why where it cannot.
        Raises Unbound if it makes no sense with these keys.
        """
        found = faults(text, self.keys, self.catalog, wants=None)
        if found:
            raise Unbound(
                cause("bad_condition", message=found[0].message.rstrip("."))
            )
        return bind_formula(parse(text), self, unknown)

    def formula_or_unknown(
        self, text: str, unknown: Callable[[Cause | None], None]
    ) -> Callable[[], Value | None]:
        """What works out a formula, as `formula`; always nothing where it
        makes no sense with these keys, which `unknown` is told at once.
        """
        try:
            return self.formula(text, unknown)
        except Unbound as unbound:
            unknown(unbound.reason)
            return always_unknown

    def sense(self, ask: SenseCall) -> BoundSense:
        """A sense call with its arguments bound, ready to be called or written
        into source.
        """
        kind = self.catalog.kinds[ask.sense]
        args = {
            name: self._sense_arg(kind.param(name), tree)
            for name, tree in bound_args(ask, kind).items()
        }
        me, run = self.me, kind.run

        if not kind.own:
            fixed = fixed_values(args)
            return BoundSense(
                _reader(me, kind, args),
                kind.in_line if fixed is not None else "",
                fixed or {},
                always_reading=kind.gives_reading,
                range_m=written_range(ask, kind),
            )

        call, agent = (
            CallSite(kind, me.name, "", self.watch).caller(),
            AgentOfNode(me),
        )

        def read() -> Reading | Value | None:
            try:
                named = {
                    name: as_node_argument(binder())
                    for name, binder in args.items()
                }
                return call(lambda: reading_of(run(agent, **named)))
            except Unbound as unbound:
                return Reading(None, None, unbound.reason)

        return BoundSense(read)

    def question(self, when: str, row_id: str, part: str) -> BoundCondition:
        """A condition to ask. Raises Unbound if it makes no sense with these
        keys.
        """
        found = faults(when, self.keys, self.catalog)
        if found:
            raise Unbound(
                cause("bad_condition", message=found[0].message.rstrip("."))
            )
        condition = BoundCondition(
            parse(when), self, self.recorder.sensing(row_id, part)
        )
        self.conditions[row_id, part] = condition
        return condition

    def binder(
        self, param: Param, value: ParamValue, row_id: str, part: str
    ) -> Binder:
        """The binder of a parameter with a value as it stands in a file.
        Raises Unbound for a value that can never be bound.
        """
        if isinstance(value, KeyRef):
            return self._key_binder(param, value.key)
        if not param.takes(value) or (
            param.choices and value not in param.choices
        ):
            raise Unbound(
                cause(
                    "misfit",
                    param=param.label,
                    value=printable(value_text(value), 60),
                )
            )
        if param.type is ParamType.CONDITION:
            question = self.question(str(value), row_id, part)
            return Constant(question)
        if param.type is ParamType.FORMULA:
            formula = LiveFormula(partial(self.formula, str(value)))
            return Constant(formula)
        if param.type is ParamType.STATE:
            state = ""
            if value:
                state = self.row_id(str(value))
            return Constant(state)
        if param.type in TARGETS:
            target = self._target(value)
            return Constant(target)
        if isinstance(value, Spread):
            return self._drawn(value)
        return Constant(value)

    def _key_binder(self, param: Param, name: str) -> Binder:
        key = self.keys.get(name)
        if key is None or key.type not in param.keys:
            raise Unbound(cause("unfilled", param=param.label))
        live = self.key(name)
        if param.type is ParamType.KEY:
            return Constant(live)
        if param.type in TARGETS:
            return Constant(KeyTarget(self.me, name, live))
        return _value_of_key(name, live)

    def row_id(self, own: str) -> str:
        """The id under which a row of the key scope's behavior runs."""
        if self.key_scope.path:
            return f"{self.key_scope.path}/{own}"
        return own

    def _target(
        self, value: ParamValue
    ) -> PointTarget | PlaceTarget | NamedTarget:
        if isinstance(value, PlaceRef):
            return PlaceTarget(self.me, value.place)
        if isinstance(value, tuple):
            return PointTarget(value, value_text(value))
        return NamedTarget(self.me, str(value))

    def _drawn(self, spread: Spread) -> Binder:
        if spread.half_width == 0:
            return Constant(spread.mean)
        random = self.me.random
        return lambda: max(
            0.0,
            random.uniform(
                spread.mean - spread.half_width,
                spread.mean + spread.half_width,
            ),
        )

    def _sense_arg(self, param: Param | None, tree: object) -> Binder:
        if param is None:
            raise KeyError(
                "a sense is asked with a parameter it does not have"
            )
        match tree:
            case KeyTerm(key=name):
                return self._key_binder(param, name)
            case NumberTerm(value=value) | TextTerm(value=value):
                return self.binder(param, value, "", "")
        raise TypeError(f"a sense cannot be asked with {tree!r}")


def _value_of_key(name: str, key: LiveKey) -> Binder:
    def value() -> Value:
        got = key.value
        if got is None:
            raise Unbound(cause("not_set", key=name))
        return got

    return value


def always_unknown() -> None:
    """The formula of a key whose text makes no sense: its value is always
    None.
    """


def fixed_values(binders: Mapping[str, Binder]) -> dict[str, Any] | None:
    """The arguments by name if none of them can change, so that they can be
    bound once; else None.
    """
    fixed = _fixed(binders)
    if len(fixed) == len(binders):
        return fixed
    return None


def with_arguments(
    function: Callable[..., Any], me: Me, arguments: Mapping[str, Any]
) -> Callable[..., Any]:
    """A node's function with the agent and arguments bound; calling it needs
    no more.
    """
    placed, named = split_arguments(function, arguments)
    return partial(function, me, *placed, **named)


def _fixed(binders: Mapping[str, Binder]) -> dict[str, Any]:
    return {
        name: binder.value
        for name, binder in binders.items()
        if isinstance(binder, Constant)
    }


def split_arguments(
    function: Callable[..., Any], arguments: Mapping[str, Any]
) -> tuple[tuple[Any, ...], dict[str, Any]]:
    """Arguments split into positional and keyword ones, as a node's function
    takes them after the agent. As many as possible are positional, since such
    a call costs less.
    """
    placed = list(takewhile(arguments.__contains__, _places(function)))
    return tuple(arguments[name] for name in placed), {
        name: arguments[name] for name in arguments if name not in placed
    }


@lru_cache(maxsize=1024)
def _places(function: Callable[..., Any]) -> tuple[str, ...]:
    """The names of the arguments that a node's function takes by their places,
    after the agent.
    """
    found = signature(function).parameters.values()
    return tuple(
        each.name
        for each in found
        if each.kind is Parameter.POSITIONAL_OR_KEYWORD
    )[1:]


def _reader(
    me: Me, kind: Kind, args: Mapping[str, Binder]
) -> Callable[[], Any]:
    """A function that calls a built-in sense. Arguments that cannot change are
    bound once.
    """
    fixed = _fixed(args)
    variable = {
        name: binder for name, binder in args.items() if name not in fixed
    }
    ask = with_arguments(kind.run, me, fixed)
    if not variable:
        return ask

    def read() -> Any:
        try:
            given = {name: binder() for name, binder in variable.items()}
            got = ask(**given)
        except Unbound as unbound:
            return Reading(None, None, unbound.reason)
        if kind.bounded_by in given and got.cause is not None:
            # A range that a key gives stands nowhere in the condition.
            return Reading(
                got.value,
                got.measure,
                with_range(got.cause, given[kind.bounded_by]),
            )
        return got

    return read
