"""Why something did not run, or ended. Each kind of cause and its sentence
stands here and nowhere else.

A cause is recorded with its facts, not with its words, so that a take can be
asked in any language or by a program.
"""

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

from umbrant.model.values import (
    Value,
    decimals_apart,
    number_text,
    times_text,
    value_text,
)

SENTENCES: Mapping[str, str] = {
    "guard": "its guard said no",
    "guard_ended": "its guard turned to no while it ran",
    "condition": "what it asks is not so",
    "cooling": "it is cooling: it ended at {since_s} and may start again at {until_s}",
    "cooling_first": "it cools in the beginning, until {until_s}",
    "time_limit": "its time limit of {limit_s} ran out",
    "taken_over": "{row} took its place",
    "parent_left": "{row}, which it is in, was left",
    "round_over": "{row}, which it is in, was at the end of a round",
    "child": "{row} failed",
    "all_failed": "none of its children could be done",
    "in_turn": "it waits its turn: no more than {most} may run at once",
    "held": "its result is held by a cue",
    "held_back": "it is held back by a cue",
    "off_stage": "its body is not on the stage",
    "row_not_active": "'{name}' is not active",
    "unseen_far": (
        "none of {group} is seen: {name}, the nearest, is {distance_m} away, farther than it looks"
    ),
    "unseen_beyond_sight": (
        "none of {group} is seen: {name}, the nearest, is {distance_m} away, farther than it can "
        "see"
    ),
    "unseen_aside": (
        "none of {group} is seen: {name}, the nearest, is {off_deg} to the side, outside the cone"
    ),
    "unseen_behind": (
        "none of {group} is seen: {wall} is in between it and {name}, the nearest, {distance_m} "
        "away"
    ),
    "no_body": "whoever asks has no body",
    "no_key": "there is no key {key}",
    "silence": "there was no noise",
    "too_quiet": "it was too quiet to be heard from {distance_m} away",
    "never_heard": "{event} was never heard",
    "too_little": "{prop} holds {level}, less than {amount}",
    "other_type": "{key} and {source} hold different types",
    "no_row": "it has no row '{name}' that is entered and ends by itself",
    "no_states": "it has no states",
    "no_state": "there is no state '{name}' in its machine",
    "no_options": "it has no options",
    "nothing_inside": "the behavior it uses has no rows",
    "inverted": "it succeeded, which is turned round",
    "takes_time": "it takes time, so it cannot be upkeep",
    "always_fails": "it succeeded, which counts as failure",
    "chance": "the roll was {roll}, not under {share}",
    "at_most": "it has been entered {times} times, and may be no more often",
    "fired": "{row} fired",
    "machine_ended": "the machine ended",
    "not_yet": "it fires at {until_s}",
    "done_otherwise": "{row} ended with {result}",
    "must_finish": "{row} may be left only when it is done",
    "outscored": "{row} scores {score}, and it scores {own}",
    "outscored_staying": (
        "{row} scores {score}, and it scores {own} with its bonus for staying"
    ),
    "below_threshold": "no option scored more than {threshold}",
    "raised": "{file}, line {line}: {message}",
    "said": "{text}",
    "nonsense": "{file}, line {line}: it gave {value}, which means nothing here",
    "not_trusted": (
        "it is a node of the project's own, and the project has not been trusted to run its code"
    ),
    "no_place": "there is no place like that around {place}",
    "no_cover": "there is nothing to hide behind within {range_m}",
    "no_stat": "{name} has no '{stat}'",
    "carries_nothing": "it carries nothing",
    "hands_full": "it carries {prop} already",
    "taken": "{name} carries it",
    "unfilled": "its {param} has not been filled in",
    "misfit": "its {param} cannot be {value}",
    "unknown_kind": "'{name}' is no kind of node that is known here",
    "bad_condition": "its condition cannot be read: {message}",
    "not_set": "{key} is not set",
    "by_zero": "it divides by 0",
    "no_number": "it comes to no number",
    "not_there": "'{name}' is not on the stage",
    "empty_group": "there is nothing in the group '{group}'",
    "no_other": "nothing else is in the group '{group}'",
    "none_near": "the nearest of {group} is {distance_m} away, beyond {range_m}",
    "all_carried": "all of {group} are carried",
    "no_route": "there is no way from {start} to {goal}",
    "no_room": "there is no room for its body at {start}, because of {area}",
    "shut_in": "it is shut in by {area}: there is no way from {start} to {goal}",
    "off_ground": "{goal} is not on walkable ground",
    "in_area": "{goal} is in {area}, where its body cannot be",
    "too_far": "{distance_m} away, beyond {range_m}",
    "beyond_sight": "{distance_m} away, beyond the {range_m} that it can see",
    "outside_cone": "{off_deg} to the side, outside the cone of {cone_deg}",
    "blocked": "{wall} in between, {distance_m} away",
    "copied": "it holds what {key} held",
    "picked": "the {which} of {group}, {distance_m} away",
    "picked_by_number": "the {which} of {group}, at {number}",
    "picked_at_random": "drawn at random from {group}: {count} to choose from",
    "never_written": "{key} was never written",
    "endless": "{rows} fired on and on: its agent's machines took {times} transitions within one "
    "tick, and no more are taken in one; something in them should take time",
    "ring": (
        "{rows} led it back within one tick to where it was, with its keys as they were; so "
        "it stopped there"
    ),
}

one_line = json.JSONEncoder(ensure_ascii=False).encode
"""A value as one line of JSON. Made once: `json.dumps` would make an encoder
for each call.
"""

COMPARED_FACTS = {
    "distance_m": "range_m",
    "range_m": "distance_m",
    "level": "amount",
    "amount": "level",
    "roll": "share",
    "share": "roll",
    "score": "own",
    "own": "score",
}
"""Facts that a sentence compares, each with the other one: they are said with
as many decimals as tell them apart.
"""

_UNITS = {"_s": " s", "_m": " m", "_deg": "°"}
_FIELD = re.compile(r"\{(\w+)\}( times)?")
"""A fact in a sentence; with a count of times that is said as one: once, 3
times.
"""


@dataclass(frozen=True)
class Cause:
    """One of SENTENCES with its facts. A fact's name ends in its unit
    (`since_s`); `row` is a row's id.
    """

    kind: str
    facts: Mapping[str, Value] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.kind not in SENTENCES:
            raise ValueError(
                f"{self.kind!r} is no kind of cause; declare its sentence in SENTENCES"
            )

    def parts(self) -> Iterator[tuple[str, str]]:
        """The sentence as (fact's name or '', text) pieces. For `row` the text
        is the row's id.
        """
        sentence, end = SENTENCES[self.kind], 0
        for found in _FIELD.finditer(sentence):
            if found.start() > end:
                yield "", sentence[end : found.start()]
            fact = self.facts.get(found[1])
            if not found[2]:
                text = fact_text(
                    found[1],
                    fact,
                    self.facts.get(COMPARED_FACTS.get(found[1], "")),
                )
            elif isinstance(fact, int | float):
                text = times_text(fact)
            else:
                text = f"{fact_text(found[1], fact)}{found[2]}"
            yield found[1], text
            end = found.end()
        if end < len(sentence):
            yield "", sentence[end:]

    @cached_property
    def plain(self) -> Mapping[str, Value]:
        """The cause as plain data, as JSON holds it."""
        return {"kind": self.kind, **self.facts}

    @cached_property
    def json(self) -> str:
        """The cause as one line of JSON, the same for the same cause."""
        return one_line(self.plain)

    @classmethod
    def from_plain(cls, data: Mapping[str, Any]) -> "Cause":
        """The reverse of `plain`, after JSON has held it. Raises ValueError or
        KeyError on anything else.
        """
        facts = {}
        for name, fact in data.items():
            if name == "kind":
                continue
            if isinstance(fact, list):
                facts[name] = tuple(fact)
            else:
                facts[name] = fact
        return cls(data["kind"], facts)

    @classmethod
    def from_json(cls, text: str) -> "Cause":
        """The reverse of `json`. Raises ValueError or KeyError on anything
        else.
        """
        return cls.from_plain(json.loads(text))


def fact_text(
    name: str, fact: Value | None, compared: Value | None = None
) -> str:
    """A fact with the unit its name ends in: 9.43 m, 0.80 s, 70°, (14.2, 6.1).
    It reads otherwise than the number that it is compared with.
    """
    unit = next(
        (text for ending, text in _UNITS.items() if name.endswith(ending)), ""
    )
    if not isinstance(fact, float) and not (unit and isinstance(fact, int)):
        return value_text(fact)
    if unit == " s":
        return f"{fact:.2f}{unit}"
    decimals = 2 if unit else 3
    if isinstance(compared, int | float):
        decimals = decimals_apart(fact, compared, decimals)
    return f"{number_text(fact, decimals)}{unit}"


def cause(kind: str, **facts: Value) -> Cause:
    """A cause of this kind with these facts."""
    return Cause(kind, facts)


@lru_cache(maxsize=4096)
def cause_of_row(kind: str, row: str) -> Cause:
    """A cause whose only fact is a row's id: the same object each time, for
    these come often.
    """
    return Cause(kind, {"row": row})
