"""What a kind of node is, and the catalog of all of them."""

import re
from collections.abc import Callable, Container, Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import ModuleType
from typing import Any

from umbrant.catalog.outcomes import OutcomeRule, either
from umbrant.catalog.params import Param
from umbrant.model.values import KeyType

FIELDS = re.compile(r"\{(\w+)\}")
"""Finds the names of the parameters in a phrase."""


class DeclarationError(TypeError):
    """A developer's mistake in the declaration of a kind; raised at import,
    never because of a project.
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
"""The families that decide and act by themselves: they can be the first row of
a behavior.
"""

ROWS = (
    *RUNS,
    Family.STATE,
    Family.TRANSITION,
    Family.HOOK,
    Family.OPTION,
    Family.CONSIDERATION,
)
"""The families whose kinds can be a row somewhere."""


class ChildOrder(StrEnum):
    """In which order a kind goes about the rows nested in it."""

    WRITTEN = "written"
    DRAWN = "drawn"
    TOGETHER = "together"


class NumberKind(StrEnum):
    """What the number beside a running row means, in the column `now`."""

    PROGRESS = "progress"
    """What is left of its work; of a refused row, the number that its guard
    was refused by.
    """
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
    """What else a project's own action does when its row is entered and when
    it is left, however it is left.
    """

    entered: Callable[..., object] | None = None
    left: Callable[..., object] | None = None


@dataclass(frozen=True)
class NoiseFact:
    """That an action makes a noise, which others can hear."""

    loudness: str | float
    """The parameter that says how loud it is, or how loud it always is."""
    at_end: bool = False
    """Whether it is made as the row succeeds, and not as it is entered."""
    at_target: bool = False
    """Whether it comes from the row's target, and not from the body."""


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
    """Outcome ('success', 'failure', 'running', or a sense's 'value') and what
    it means here.
    """
    takes_time: bool = False
    unit: str = ""
    """The unit of what a sense gives or measures."""
    gives: KeyType | None = None
    """The type of what a sense gives."""
    gives_reading: bool = False
    """Whether a sense gives nothing but Readings."""
    in_line: str = ""
    """A sense that says yes or no, as a Python expression of its parameters in
    {braces}: the same as `run`, sooner.
    """
    bounded_by: str = ""
    """The parameter of a sense that says how far away what it measures may be.
    It has no other say: what is nearer, or further, is answered without it.
    What is further is `too_far`, a cause that leaves the parameter to whoever
    knows it.
    """
    summary: str = ""
    """How a composite goes about its children, for reasons: 'tries its
    children in order'.
    """
    goes_on_after: str = ""
    """The outcome of a child after which a composite goes on to the next:
    'success' or 'failure'; empty where children do not follow one another.
    """
    order: ChildOrder = ChildOrder.WRITTEN
    rests: str = ""
    """What a child that has ended does while the others run, where they run
    together: 'waits for the others'.
    """
    holds: tuple[Family, ...] = ()
    """The families of the rows that may be nested in it."""
    can_end: OutcomeRule = either
    """What a row of this kind can come to."""
    number: NumberKind = NumberKind.PROGRESS
    """What the number beside its row means."""
    is_gate: bool = False
    """Whether a decorator can keep its row from being entered."""
    keeps_work: bool = False
    """Whether with a decorator the work of a row begins as the row is entered,
    once, and ends as the row does.
    """
    weighs: bool = False
    """Whether a decorator is asked by what is around its row, before the row
    is visited.
    """
    facts: Mapping[str, str] = field(default_factory=dict)
    """What of its causes is one of its parameters, as {'too_far.range_m':
    'reach'}. Of a decorator that reports gauges, 'gauge.of' is what they are
    of.
    """
    reports_gauges: bool = False
    """Whether it is given a `GaugeSink` as `report`."""
    example: str = ""
    intents: tuple[str, ...] = ()
    """What an author may want it for, in words that are not in its name: the
    search finds it by them.
    """
    """Its meaning by a small example, in one or two sentences."""
    own: str = ""
    """The project's file that declares it; empty for what comes with the
    program.
    """
    own_line: int = 0
    """The line of that file at which its function stands."""
    hooks: Hooks = field(default_factory=Hooks, compare=False)
    noise: NoiseFact | None = None
    """What others can hear of an action."""

    @property
    def allows_take_over(self) -> bool:
        """Whether a child can take over from a later one: they follow in the
        written order.
        """
        return bool(self.goes_on_after) and self.order is ChildOrder.WRITTEN

    @property
    def moves_on(self) -> str:
        """How a child has to end for the next to be tried, as a verb."""
        return {"failure": "fails", "success": "has succeeded"}.get(
            self.goes_on_after, "has ended"
        )

    def entered(self, hook: Callable[..., object]) -> Callable[..., object]:
        """Have a function called when a row of this kind is entered: with the
        agent and the node's arguments.
        """
        self.hooks.entered = hook
        return hook

    def left(self, hook: Callable[..., object]) -> Callable[..., object]:
        """Have a function called when it is left: with the agent, how it
        ended, and the arguments.

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
        return next(
            (param for param in self.params if param.name == name), None
        )

    def stretches(
        self, also: Container[str] = ()
    ) -> list[tuple[bool, list[tuple[str, Param | None]]]]:
        """The phrase in stretches, each with whether it is an optional one:
        (text, None) and ('', parameter) pieces.

        An optional stretch, in [brackets], is left out unless one of its
        parameters is in `also`.
        """
        found = []
        for stretch in re.split(r"(\[[^\]]*\])", self.phrase):
            optional = stretch.startswith("[")
            if optional and not any(
                name in also for name in FIELDS.findall(stretch)
            ):
                continue
            parts: list[tuple[str, Param | None]] = []
            for piece in re.split(r"(\{\w+\})", stretch.strip("[]")):
                if piece.startswith("{"):
                    parts.append(("", self.param(piece[1:-1])))
                elif piece.strip():
                    parts.append((piece.strip(), None))
            found.append((optional, parts))
        return found

    def phrase_parts(
        self, also: Container[str] = ()
    ) -> list[tuple[str, Param | None]]:
        """The stretches one after the other."""
        return [part for _, parts in self.stretches(also) for part in parts]


@dataclass(frozen=True)
class Catalog:
    """All kinds there are, by id."""

    kinds: Mapping[str, Kind]

    @classmethod
    def of(cls, modules: Iterable[ModuleType]) -> "Catalog":
        """Gather the kinds that these modules declare, in the order of the
        modules and within them of the source.
        """
        kinds: dict[str, Kind] = {}
        for module in modules:
            for value in vars(module).values():
                if (
                    isinstance(value, Kind)
                    and value.run.__module__ == module.__name__
                ):
                    if value.id in kinds:
                        raise DeclarationError(
                            f"two kinds are called '{value.id}'; rename the one in "
                            f"{module.__name__}"
                        )
                    kinds[value.id] = value
        return cls(kinds)

    def family(self, *families: Family) -> list[Kind]:
        """The kinds of these families."""
        return [
            kind for kind in self.kinds.values() if kind.family in families
        ]

    def get(self, kind_id: str, *families: Family) -> Kind | None:
        """The kind with this id, if it is of one of these families."""
        kind = self.kinds.get(kind_id)
        if kind is not None and kind.family in families:
            return kind
        return None
