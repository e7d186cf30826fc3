"""Whether a condition makes sense here: the keys and senses it names, and the
types of what it compares.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from umbrant.catalog.kind import Catalog, Family, Kind
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    KeyTerm,
    LanguageError,
    Negation,
    NumberTerm,
    SenseCall,
    TextSpan,
    TextTerm,
    YesNoTerm,
    parse,
)
from umbrant.catalog.params import Param, ParamType
from umbrant.model.behaviors import Key
from umbrant.model.printable import a_or_an
from umbrant.model.problems import DECLARE_KEY, did_you_mean
from umbrant.model.values import KeyType

_TEXTS = (
    ParamType.PLACE,
    ParamType.AGENT,
    ParamType.PROP,
    ParamType.TEXT,
    ParamType.GROUP,
    ParamType.EVENT,
    ParamType.STAT,
    ParamType.ZONE,
)
"""The parameters of senses that are told with a text in quotes."""

_WRITTEN = {
    NumberTerm: KeyType.NUMBER,
    TextTerm: KeyType.TEXT,
    YesNoTerm: KeyType.YES_NO,
}


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong with a condition, and the columns it stands at."""

    message: str
    remedy: str
    span: TextSpan


def faults(
    text: str,
    keys: Mapping[str, Key],
    catalog: Catalog,
    board: str = "",
    *,
    wants: KeyType | None = KeyType.YES_NO,
) -> list[Fault]:
    """The faults of a condition on a blackboard with these keys; empty if it
    can be evaluated.

    With `wants` the text is a formula that must give that type; None accepts
    any.
    """
    try:
        tree = parse(text)
    except LanguageError as error:
        return [Fault(str(error), "", error.span)]
    checker = _Checker(keys, catalog, board)
    found = list(checker.check(tree))
    # One fault at a time: what is wrong inside makes whatever comes out of it
    # wrong too.
    kind = checker.type_of(tree)
    if (
        not found
        and wants is KeyType.YES_NO
        and kind not in (KeyType.YES_NO, None)
    ):
        found.append(
            Fault(
                f"this gives {a_or_an(kind)}, not yes or no",
                "Compare it with something.",
                tree.span,
            )
        )
    elif not found and wants is not None and kind not in (wants, None):
        found.append(
            Fault(
                f"this gives {a_or_an(kind)}, not {a_or_an(wants)}",
                "Write a formula that does.",
                tree.span,
            )
        )
    return found


def bound_args(ask: SenseCall, kind: Kind) -> dict[str, ConditionTree]:
    """The arguments of a sense by parameter name. Surplus ones are left out;
    `faults` reports them.
    """
    given = dict(
        zip((param.name for param in kind.params), ask.args, strict=False)
    )
    return given | dict(ask.named)


@dataclass(frozen=True)
class _Checker:
    keys: Mapping[str, Key]
    catalog: Catalog
    board: str

    def check(self, tree: ConditionTree) -> Iterator[Fault]:
        match tree:
            case KeyTerm():
                yield from self._key(tree)
            case SenseCall():
                yield from self._ask(tree)
            case Negation(part=part):
                yield from self._yes_no([part])
            case Conjunction(parts=parts) | Disjunction(parts=parts):
                yield from self._yes_no(parts)
            case Arithmetic(left=left, right=right):
                yield from self._numbers(left, right)
            case Comparison():
                yield from self._compare(tree)

    def type_of(self, tree: ConditionTree) -> KeyType | None:
        """The type of value that a term gives; None where that depends on a
        fault.
        """
        match tree:
            case KeyTerm(key=key):
                if key in self.keys:
                    return self.keys[key].type
                return None
            case SenseCall(sense=sense):
                kind = self.catalog.get(sense, Family.SENSE)
                if kind:
                    return kind.gives
                return None
            case Arithmetic():
                return KeyType.NUMBER
            case NumberTerm() | TextTerm() | YesNoTerm():
                return _WRITTEN[type(tree)]
        return KeyType.YES_NO

    def _key(
        self, tree: KeyTerm, may_be_name: bool = False
    ) -> Iterator[Fault]:
        if tree.key in self.keys:
            return
        # The commonest slip: a sense without its brackets reads as a key.
        if self.catalog.get(tree.key, Family.SENSE):
            yield Fault(
                f"`{tree.key}` is a sense",
                f"Ask it with brackets: {tree.key}(...).",
                tree.span,
            )
        else:
            where = ""
            if self.board:
                where = f" of blackboard '{self.board}'"
            ways_out = DECLARE_KEY
            if may_be_name:
                ways_out = f'If it is a name, put it in quotes: "{tree.key}".'
            yield Fault(
                f"`{tree.key}` is no key{where}.",
                did_you_mean(tree.key, list(self.keys), ways_out),
                tree.span,
            )

    def _ask(self, tree: SenseCall) -> Iterator[Fault]:
        kind = self.catalog.get(tree.sense, Family.SENSE)
        if kind is None and tree.sense in self.catalog.kinds:
            family = self.catalog.kinds[tree.sense].family.value
            yield Fault(
                f"`{tree.sense}` is no sense, but a node of the family {family}.",
                "It stands in a row of its own.",
                tree.span,
            )
            return
        if kind is None:
            known = [each.id for each in self.catalog.family(Family.SENSE)]
            yield Fault(
                f"`{tree.sense}` is no sense.",
                did_you_mean(tree.sense, known),
                tree.span,
            )
            return
        if len(tree.args) > len(kind.params):
            yield Fault(
                f"`{tree.sense}` takes {len(kind.params)} at the most, not {len(tree.args)}",
                "",
                tree.span,
            )
        given = bound_args(tree, kind)
        for name, value in given.items():
            param = kind.param(name)
            if param is None:
                known = [each.name for each in kind.params]
                yield Fault(
                    f"`{tree.sense}` has no `{name}`.",
                    did_you_mean(name, known),
                    value.span,
                )
            else:
                yield from self._argument(tree.sense, param, value)
        for param in kind.params:
            if param.required and param.name not in given:
                yield Fault(
                    f"`{tree.sense}` needs to be told its `{param.name}`",
                    f"({param.help}).",
                    tree.span,
                )

    def _argument(
        self, sense: str, param: Param, value: ConditionTree
    ) -> Iterator[Fault]:
        if isinstance(value, KeyTerm):
            yield from self._key(value, may_be_name=param.type in _TEXTS)
            key = self.keys.get(value.key)
            if key and key.type not in param.keys:
                wanted = " or ".join(param.keys)
                yield Fault(
                    f"`{sense}` wants {a_or_an(wanted)} key, and `{value.key}` holds "
                    f"{a_or_an(key.type)}",
                    "",
                    value.span,
                )
        elif isinstance(value, TextTerm):
            if param.type not in _TEXTS:
                yield Fault(
                    f"`{param.name}` of `{sense}` cannot be a text",
                    "",
                    value.span,
                )
        elif param.type is not ParamType.NUMBER or not isinstance(
            value, NumberTerm
        ):
            yield Fault(
                f"`{param.name}` of `{sense}` cannot be this",
                f"It is {param.help}.",
                value.span,
            )

    def _yes_no(
        self, parts: "list[ConditionTree] | tuple[ConditionTree, ...]"
    ) -> Iterator[Fault]:
        for part in parts:
            yield from self.check(part)
            kind = self.type_of(part)
            if kind not in (KeyType.YES_NO, None):
                yield Fault(
                    f"{a_or_an(kind)} is neither yes nor no",
                    "Compare it with something.",
                    part.span,
                )

    def _numbers(
        self, left: ConditionTree, right: ConditionTree
    ) -> Iterator[Fault]:
        for side in (left, right):
            yield from self.check(side)
            kind = self.type_of(side)
            if kind not in (KeyType.NUMBER, None):
                yield Fault(
                    f"{a_or_an(kind)} cannot be reckoned with", "", side.span
                )

    def _compare(self, tree: Comparison) -> Iterator[Fault]:
        left, right = self.type_of(tree.left), self.type_of(tree.right)
        names = (KeyType.TEXT, KeyType.AGENT, KeyType.PROP)
        for side, other in ((tree.left, right), (tree.right, left)):
            if isinstance(side, KeyTerm):
                yield from self._key(side, may_be_name=other in names)
            else:
                yield from self.check(side)
        for side in (tree.left, tree.right):
            if isinstance(
                side, Comparison | Negation | Conjunction | Disjunction
            ):
                yield Fault(
                    "a comparison cannot itself be compared",
                    "Join them with `and` or `or`.",
                    side.span,
                )
        if left is None or right is None:
            return
        if tree.sign not in ("==", "!=") and (left, right) != (
            KeyType.NUMBER,
            KeyType.NUMBER,
        ):
            yield Fault(
                f"only numbers can be compared with {tree.sign}, not {a_or_an(left)} with "
                f"{a_or_an(right)}",
                "",
                tree.span,
            )
        elif left is not right and not (left in names and right in names):
            yield Fault(
                f"{a_or_an(left)} can never equal {a_or_an(right)}",
                "",
                tree.span,
            )
