"""What can be done at the start of a branch, offered while it is typed."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from umbrant.branching.actions import (
    ActionError,
    ActionScope,
    action_text,
    read_actions,
    typed_value,
)
from umbrant.model.behaviors import Behavior, Key, Sharing
from umbrant.model.staging import CueAction
from umbrant.model.values import KeyType, Value, number_text


@dataclass(frozen=True)
class Suggestion:
    """Something that can be done. With `actions` it is complete; else `fills`
    is what to type on from.
    """

    title: str
    place: str
    fills: str
    actions: tuple[CueAction, ...] = ()
    help: str = ""
    phrase: str = ""

    @property
    def label(self) -> str:
        """How it is listed in words."""
        return f"{self.title}, {self.place}"


def suggested(text: str, scope: ActionScope) -> tuple[list[Suggestion], str]:
    """What can be done that fits a text, the best first, and what is wrong
    with the text as it stands. A text that is complete comes first, as what it
    does.
    """
    done, _, last = text.rpartition(";")
    before = ""
    if done.strip():
        before = f"{done.strip()}; "
    found: list[Suggestion] = []
    wrong = ""
    try:
        actions = read_actions(text, scope)
    except ActionError as error:
        wrong = str(error)
    else:
        if actions:
            says = "; ".join(
                action_text(each, scope.behavior) for each in actions
            )
            found.append(
                Suggestion(
                    says, "Enter plays on", text, actions, "Play on from here."
                )
            )
    typed = last.strip().lower()
    offers = [
        each
        for each in _offers(scope, typed)
        if each.fills.strip().lower() != typed
    ]
    fit = [each for each in offers if _fits(typed, each)]
    for each in fit:
        fills = before + each.fills
        found.append(
            replace(each, fills=fills, actions=_complete(fills, scope))
        )
    return found, wrong


def _complete(text: str, scope: ActionScope) -> tuple[CueAction, ...]:
    """The actions of a text that needs nothing more; none for one that does."""
    if text.endswith(" "):
        return ()
    try:
        return read_actions(text, scope)
    except ActionError:
        return ()


def _fits(typed: str, offer: Suggestion) -> bool:
    """Whether an offer goes on from what was typed: it begins with it, or has
    all its words.
    """
    offered = offer.fills.lower()
    words, parts = typed.split(), offered.split()
    has_all = all(
        any(part.startswith(word) for part in parts) for word in words
    )
    return offered.startswith(typed) or (bool(words) and has_all)


def _offers(scope: ActionScope, typed: str) -> Iterator[Suggestion]:
    """All that can be done, as far as what was typed has chosen already."""
    yield from _keys_offered(scope, typed)
    for name in scope.movable:
        if typed.startswith(f"move {name}"):
            for place in scope.places:
                yield Suggestion(
                    f"move {name} to {place}",
                    "place",
                    f"move {name} to {place}",
                )
        yield Suggestion(f"move {name} to …", "elsewhere", f"move {name} to ")
    for event in scope.events:
        yield Suggestion(f"raise {event}", "event", f"raise {event}")
    if scope.behavior is not None:
        yield from _rows_offered(scope.behavior, typed)
    for name in scope.movable:
        yield Suggestion(
            f"take {name} away", "off the stage", f"take {name} away"
        )


def _keys_offered(scope: ActionScope, typed: str) -> Iterator[Suggestion]:
    keys = {**scope.keys_of(scope.member), **scope.keys_of(None)}
    for name, key in keys.items():
        now = typed_value(_rounded(scope.value(name)))
        if key.scope is Sharing.WORLD:
            owner = "the world"
        else:
            owner = scope.agent
        says = f"It is {now} now. {key.help}".strip()
        yield Suggestion(
            f"{name} = …",
            f"key of {owner}, now {now}",
            f"{name} = ",
            help=says,
        )
        # Once the key has been chosen: there are as many as there are places,
        # props and people.
        for word in (
            _words_for(key, scope) if typed.startswith(f"{name} ") else ()
        ):
            yield Suggestion(
                f"{name} = {word}", f"now {now}", f"{name} = {word}", help=says
            )
    for name, stat in (
        scope.member.body.stats if scope.member else {}
    ).items():
        now = typed_value(_rounded(scope.value(name)))
        says = f"It is {now} now, from {number_text(stat.low)} to {number_text(stat.high)}."
        yield Suggestion(
            f"{name} = …", f"of the body, now {now}", f"{name} = ", help=says
        )


def _words_for(key: Key, scope: ActionScope) -> Iterable[str]:
    """The values that a key can have, where there are only so many."""
    return {
        KeyType.YES_NO: ["yes", "no"],
        KeyType.POINT: list(scope.places),
        KeyType.AGENT: [each.name for each in scope.cast],
        KeyType.PROP: list(scope.take.levels),
    }.get(key.type, [])


def _rounded(value: Value | None) -> Value | None:
    if isinstance(value, float):
        return round(value, 2)
    return value


def _rows_offered(behavior: Behavior, typed: str) -> Iterable[Suggestion]:
    for row_id, number in behavior.outline.number.items():
        name = behavior.row(row_id).name
        for result in ("success", "failure", "refused"):
            if typed.startswith(f"hold {number} "):
                words = f"hold {number} at {result}"
                yield Suggestion(words, name, words)
        yield Suggestion(
            f"hold {number} {name} at …", "row", f"hold {number} at "
        )
