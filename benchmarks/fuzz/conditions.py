"""Texts where conditions are expected: each is either refused at a place in
it, or read, said, written back and asked.
"""

import random
from collections.abc import Iterator
from pathlib import Path

from benchmarks.fuzz.documents import LONGEST_S, readable, within
from benchmarks.fuzz.tally import Tally
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.catalog.language.check import faults
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.tree import (
    LONGEST,
    LanguageError,
    atoms,
    parse,
    source,
    walk,
)
from umbrant.model.behaviors import Behavior, Blackboard, Guard, Key, Row
from umbrant.model.documents import Cover, Project
from umbrant.model.staging import Member, Place, Prop, Scenario, Stage
from umbrant.model.values import KeyType
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take

KEYS = (
    Key(name="n", type=KeyType.NUMBER, default=1.5),
    Key(name="m", type=KeyType.NUMBER),
    Key(name="yes_no", type=KeyType.YES_NO, default=True),
    Key(name="word", type=KeyType.TEXT, default="x"),
    Key(name="spot", type=KeyType.POINT, default=(3.0, 4.0)),
    Key(name="who", type=KeyType.AGENT, default="other"),
    Key(name="thing", type=KeyType.PROP, default="lamp"),
    Key(name="twice", type=KeyType.NUMBER, formula="n + n"),
)
NUMBERS = (
    "0",
    "1",
    "-1",
    "0.5",
    "1e3",
    "1e14",
    "1e-300",
    "007",
    "1_000",
    "0x10",
    "1j",
    "1e400",
    "9" * 400,
    "-0.0",
    ".5",
    "5.",
)
TEXTS = (
    "'x'",
    '"lamp"',
    "'yard'",
    "''",
    "'é'",
    "'😀'",
    "b'x'",
    "f'{n}'",
    "'''x'''",
    "'\\n'",
    "'\\ud800'",
    "r'x'",
    "'x' 'y'",
)
JUNK = (
    " ", "\n", "\r", "\t", "\x0c", "\x00", "(", ")", "[", "]", "{", "}", ":", ":=", "=", "==", "!=", "<", ">", "<>", "**", "//", "%", "@",
    "~", "|", "&", "^", ".", "..", ",", ";", "\\", "#", "'", '"', "é", "ﬁ", "😀", "\u202e", "\ud800", "\u2028", "lambda", "if", "else", "for",
    "in", "is", "not", "and", "or", "yes", "no", "True", "None", "await", "yield", "import", "__class__", "`", "$", "?", "!", "≤", "−", "ª",
)  # fmt: skip


def _part(rng: random.Random, depth: int) -> str:
    """Something that could stand in a condition."""
    how = rng.random()
    if depth <= 0 or how < 0.3:
        names = [key.name for key in KEYS]
        return rng.choice(
            [
                *names,
                *NUMBERS,
                *TEXTS,
                "yes",
                "no",
                "nothing_known",
                "a",
                "other",
                "lamp",
            ]
        )
    if how < 0.5:
        kind = rng.choice(BUILTIN.family(Family.SENSE))
        args = [
            _part(rng, depth - 2)
            for _ in range(rng.choice((0, 1, 1, 1, 2, 3)))
        ]
        named = [
            f"{rng.choice([each.name for each in kind.params] or ['x'])}={_part(rng, 0)}"
            for _ in range(rng.choice((0, 0, 1, 2)))
        ]
        return f"{kind.id}({', '.join([*args, *named])})"
    left, right = _part(rng, depth - 1), _part(rng, depth - 1)
    if how < 0.7:
        return (
            f"{left} {rng.choice(('<', '<=', '>', '>=', '==', '!='))} {right}"
        )
    if how < 0.85:
        return f"{left} {rng.choice(('and', 'or'))} {right}"
    if how < 0.93:
        return f"({left} {rng.choice('+-*/')} {right})"
    return f"not {left}" if how < 0.97 else f"({left})"


def _text(rng: random.Random) -> str:
    """A condition, or what is left of one."""
    how = rng.random()
    if how < 0.02:
        depth = rng.choice((50, 100, 400, 5000, 100_000))
        return (
            rng.choice(("(", "not ", "-", "n + (", "[", "a.", "n(", "n < "))
            * depth
            + "n"
            + ")" * rng.choice((0, depth))
        )
    if how < 0.12:
        return "".join(rng.choices(JUNK, k=rng.randrange(1, 12)))
    text = _part(rng, rng.choice((1, 2, 3, 6)))
    for _ in range(rng.choice((0, 0, 1, 1, 2, 4)) if how < 0.6 else 0):
        at = rng.randrange(len(text) + 1)
        text = (
            text[:at]
            + rng.choice(("", *JUNK))
            + text[at + rng.choice((0, 0, 1, 2)) :]
        )
    return text


def _project(when: str) -> Project:
    rows = (
        Row(id="top", kind="selector", name="Top"),
        Row(
            id="r1",
            under="top",
            kind="wait",
            name="Ask",
            args={"duration": 0.1},
            guard=Guard(when=when),
        ),
        Row(
            id="r2",
            under="top",
            kind="wait",
            name="Wait",
            args={"duration": 0.1},
        ),
    )
    stage = Stage(
        name="yard",
        title="Yard",
        width_m=20,
        height_m=10,
        places=(Place(name="corner", at=(1, 1)),),
        props=(Prop(name="lamp", group="lamps", at=(5, 5)),),
    )
    cast = (
        Member(name="a", behavior="b", start=(2, 5)),
        Member(name="other", start=(4, 5)),
    )
    scenario = Scenario(
        name="s",
        title="S",
        stage="yard",
        seconds=0.4,
        ticks_per_s=10,
        cast=cast,
    )
    return Project(
        cover=Cover(title="Asks", scenario="s"),
        behaviors=(Behavior(name="b", title="B", blackboard="k", rows=rows),),
        blackboards=(Blackboard(name="k", title="K", keys=KEYS),),
        stages=(stage,),
        scenarios=(scenario,),
    )


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Try so many texts."""

    def texts() -> Iterator[tuple[str, str]]:
        for number in range(attempts):
            text = _text(random.Random(f"{seed}/{number}"))
            yield f"{seed}/{number} {text[:60]!r}", text

    return tally.each(
        texts(),
        lambda text: within(
            LONGEST_S, lambda: _refused(text) or _used(text, folder)
        ),
    )


def _refused(text: str) -> str:
    """What is wrong with what is said of a text."""
    for fault in faults(text, {key.name: key for key in KEYS}, BUILTIN, "k"):
        start, end = fault.span
        if not 0 <= start <= end <= len(text):
            return f"the span {fault.span} in {len(text)} characters"
        if how := readable(f"{fault.message} {fault.remedy}", quoted=True):
            return how
    return ""


def _used(text: str, folder: Path) -> str:
    """What goes wrong with a text that can be read."""
    try:
        tree = parse(text)
    except LanguageError:
        return ""
    if len(source(tree)) <= LONGEST and parse(source(tree)) != tree:
        return f"it reads back as {source(tree)}"
    if any(
        not 0 <= each.span[0] <= each.span[1] <= len(text)
        for each in walk(tree)
    ):
        return "a part has a span outside of it"
    spoken(tree, BUILTIN)
    list(atoms(tree))
    explainer = Explainer(
        read_take(roll(RollOrder(_project(text), "s", folder / "t.take"))), "a"
    )
    answers = (explainer.why(2), explainer.why_not(2, "r1"))
    return "" if all(each.text for each in answers) else "there is no answer"
