"""What is typed after the name of a kind, as values of its parameters: `move
visitor 1.5`, `when distance(a) < 6`.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.catalog.input_range import input_range
from umbrant.catalog.kind import Kind
from umbrant.catalog.params import Param, ParamType
from umbrant.desk.chips.sentence import Chip, ChipEditor
from umbrant.desk.chips.values import choices
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.expanded import ExpandedBehavior
from umbrant.model.kind_ids import CONSIDER
from umbrant.model.parts import ROW, Slot
from umbrant.model.values import KeyRef, KeyType, ParamValue, Spread

_NUMBER = re.compile(r"^([-+]?\d*\.?\d+)(?:±([\d.]+))?[a-z°]*$")
_KEY_NAME = re.compile(r"^[a-z][a-z0-9_]{0,59}$")
_ARROW = re.compile(r"(?:->|→)([^>→]*)$")
_IF = re.compile(r"(?:^|\s)(?:if|when)\s+(.+)$")
_FROM_TO = re.compile(
    r"(?:between\s+)?(?<![\w.])(\d*\.?\d+)\s*(?:to|and|-|–)\s*(\d*\.?\d+)(?![\w.])"
)
_SMALL = (
    "a an the to at for of in on with within into from by and around about until up out off away "
    "it s sec second seconds m metre metres meter meters ° degrees"
)
SMALL_WORDS = frozenset(_SMALL.split())
"""Words that say nothing about a value, and units: left out where they are no
name.
"""
WRITTEN = (ParamType.CONDITION, ParamType.FORMULA)


@dataclass(frozen=True)
class Filling:
    """What a text gives to a kind's parameters."""

    args: dict[str, ParamValue]
    left: tuple[str, ...] = ()
    """The words that fit none of them."""
    new_keys: tuple[tuple[str, Key], ...] = ()
    """For words that are left the parameters that could hold a key of that
    name, and such keys.
    """

    @property
    def with_new_keys(self) -> dict[str, ParamValue]:
        """The parameters with the new keys in them."""
        made = {param: KeyRef(key=key.name) for param, key in self.new_keys}
        return {**self.args, **made}


def filled(
    kind: Kind,
    text: str,
    row_id: str,
    project: Project,
    expanded: ExpandedBehavior | None,
) -> dict[str, ParamValue]:
    """The values that a text gives to a kind's parameters, see `filling`."""
    return filling(kind, text, row_id, project, expanded).args


def filling(
    kind: Kind,
    text: str,
    row_id: str,
    project: Project,
    expanded: ExpandedBehavior | None,
) -> Filling:
    """What a text gives to a kind's parameters, and what of it fits none.

    A condition or a formula that must be there takes all of it; one that may
    be there takes what stands behind `if`. A transition leads to what stands
    behind an arrow. Else numbers go to numbers, names to what can be called
    so, and what remains to a text. `row_id` is a row beside the new one, whose
    keys it may use.
    """
    if not text.strip():
        return Filling({})
    found: dict[str, ParamValue] = {}
    text = _without_target(text, kind, found, row_id, project, expanded)
    written = _first_of(kind, *WRITTEN)
    # A condition is a text of its own, in which names and numbers belong to it
    # alone.
    if written is not None and written.required:
        if text.strip():
            found[written.name] = text.strip()
            found.update(_ranges(kind, text, row_id, expanded))
        return Filling(found)
    if written is not None and (condition := _IF.search(text)):
        found[written.name] = condition[1].strip()
        text = text[: condition.start()]
    left: list[str] = []
    # Before the words are parted, for `2 to 4` is one value of three words.
    if any(param.type is ParamType.SPREAD for param in kind.params):
        text = _FROM_TO.sub(_as_spread, text)
    for word in text.replace(" ± ", "±").split():
        if not (
            _took_number(word, kind, found)
            or _took_name(word, kind, found, row_id, project, expanded)
        ):
            left.append(word)
    free = next(
        (
            param
            for param in kind.params
            if param.type is ParamType.TEXT and param.name not in found
        ),
        None,
    )
    # What a row says may be made of any words, small ones too.
    if free is not None and left:
        found[free.name] = " ".join(left)
        return Filling(found)
    left = [word for word in left if word.lower() not in SMALL_WORDS]
    return Filling(found, tuple(left), tuple(_new_keys(kind, left, found)))


def _first_of(kind: Kind, *types: ParamType) -> Param | None:
    """The first parameter of one of these types, if a kind has one."""
    return next((each for each in kind.params if each.type in types), None)


def _without_target(
    text: str,
    kind: Kind,
    found: dict[str, ParamValue],
    row_id: str,
    project: Project,
    expanded: ExpandedBehavior | None,
) -> str:
    """Add the state that a transition leads to, which stands behind an arrow.
    Returns the text before it.
    """
    leads, arrow = _first_of(kind, ParamType.STATE), _ARROW.search(text)
    if leads is None or arrow is None:
        return text
    target = _named(arrow[1].strip(), leads, row_id, project, expanded)
    if target is None:
        return text
    found[leads.name] = target
    return text[: arrow.start()]


def _ranges(
    kind: Kind, text: str, row_id: str, expanded: ExpandedBehavior | None
) -> dict[str, ParamValue]:
    """The range of what is considered, where its formula tells of one."""
    if kind.id != CONSIDER:
        return {}
    keys: dict[str, Key] = {}
    if expanded is not None:
        keys = dict(expanded.key_scope(row_id).keys)
    return dict(input_range(text, keys))


def _as_spread(found: re.Match[str]) -> str:
    """`2 to 4` as `3±1`."""
    low, high = sorted((float(found[1]), float(found[2])))
    return f"{(low + high) / 2:g}±{(high - low) / 2:g}"


def _new_keys(
    kind: Kind, left: list[str], found: dict[str, ParamValue]
) -> Iterator[tuple[str, Key]]:
    """For each word that is left and could be the name of a key, the next
    parameter that must be filled in and takes one.
    """
    free = [
        param
        for param in kind.params
        if param.required and param.name not in found
    ]
    for word in left:
        param = next(
            (each for each in free if _key_type(each) is not None), None
        )
        if param is None or not _KEY_NAME.match(word):
            continue
        # The next word goes to the next parameter, as one would say them.
        free.remove(param)
        yield param.name, Key(name=word, type=_key_type(param) or KeyType.TEXT)


def _key_type(param: Param) -> KeyType | None:
    """The type of key that a parameter takes first of all; None if it takes
    none.
    """
    if param.type is ParamType.KEY:
        if param.keys:
            return param.keys[0]
        return None
    return {
        ParamType.AGENT: KeyType.AGENT,
        ParamType.PROP: KeyType.PROP,
        ParamType.PLACE: KeyType.POINT,
    }.get(param.type)


def _took_number(word: str, kind: Kind, found: dict[str, ParamValue]) -> bool:
    number = _NUMBER.match(word)
    if not number:
        return False
    for param in kind.params:
        if (
            param.type in (ParamType.NUMBER, ParamType.SPREAD)
            and param.name not in found
        ):
            mean, half_width = float(number[1]), float(number[2] or 0)
            if half_width and param.type is ParamType.SPREAD:
                found[param.name] = Spread(mean=mean, half_width=half_width)
            else:
                found[param.name] = mean
            return True
    return False


def _took_name(
    word: str,
    kind: Kind,
    found: dict[str, ParamValue],
    row_id: str,
    project: Project,
    expanded: ExpandedBehavior | None,
) -> bool:
    for param in kind.params:
        if param.name not in found:
            value = _named(word, param, row_id, project, expanded)
            if value is not None:
                found[param.name] = value
                return True
    return False


def _named(
    word: str,
    param: Param,
    row_id: str,
    project: Project,
    expanded: ExpandedBehavior | None,
) -> ParamValue | None:
    """What a parameter can be set to that is called by a word."""
    chip = Chip(
        Slot(row_id, ROW, param.name),
        ChipEditor.PICK,
        None,
        param.label,
        param,
    )
    if not row_id:
        expanded = None
    offered = choices(chip, project, expanded)
    return next(
        (
            choice.value
            for choice in offered
            if choice.label.strip().lower() == word.lower()
        ),
        None,
    )
