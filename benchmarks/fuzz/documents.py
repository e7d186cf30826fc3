"""Projects with broken documents: each is refused with messages that can be
read, or opened, saved and played.
"""

import copy
import json
import random
import signal
import string
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FrameType
from typing import Any

from benchmarks.fuzz.tally import Tally
from umbrant.catalog.validation import validate
from umbrant.model.documents import Project
from umbrant.model.folder import (
    document_texts,
    parse_project,
    read_project,
    save_project,
)
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import project_catalog
from umbrant.reasons.why import Explainer
from umbrant.review import review, review_take
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take

EXAMPLES = Path(__file__).parents[2] / "examples"
LONGEST_S = 60
"""How long one attempt may take before it counts as hanging."""
LONGEST_MESSAGE = 2500

ODD: list[Any] = [
    None, True, False, 0, -1, 1, 0.5, -0.0, 1e-320, 1e300, 1.7e308, 10**18, 2**63, 10**19, -(10**12), 10**400,
    "", " ", "a", "yes", "no", "A", "x" * 300, "\u0000", "\u001b[31m", "\u202e", "\u2028", "é", "😀", "\ud800", "a/b", "..", "a.b",
    "a-b", "__class__", "self", "1", "nan", "distance(visitor) < 3", "can_see(visitor)", "not", "((((", "{x}", "%s",
    [], {}, [[]], [None], [1, 2], [1, 2, 3], [1e300, 1e300], ["a", "b"], {"key": "x"}, {"place": "x"}, {"mean": 1, "half_width": 0},
    {"mean": 1, "half_width": 1e300}, {"shape": "points", "points": []}, {"shape": "step"}, {"when": "yes"}, {"when": ""},
    {"shape": "power", "exponent": 20, "low": 1, "high": 0},
]  # fmt: skip


class HangingError(Exception):
    """An attempt has taken too long."""


def bases() -> list[dict[str, str]]:
    """The texts of the examples."""
    found = []
    for folder in sorted(EXAMPLES.glob("*")):
        place = (
            folder if (folder / "project.json").exists() else folder / "cellar"
        )
        found.append(document_texts(read_project(place)))
    return found


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Break so many projects, each in one to four places, and do with them all
    that a user would.
    """
    found = bases()
    parsed = [
        {
            name: json.loads(text)
            for name, text in base.items()
            if name.endswith(".json")
        }
        for base in found
    ]
    known = words(parsed)

    def all_broken() -> Iterator[tuple[str, dict[str, str]]]:
        for number in range(attempts):
            rng = random.Random(f"{seed}/{number}")
            which = rng.choices(
                range(len(found)),
                [4 if len(base) < 12 else 1 for base in found],
            )[0]
            yield (
                f"{seed}/{number}",
                broken(rng, found[which], parsed[which], known),
            )

    def attempt(texts: dict[str, str]) -> str:
        return within(LONGEST_S, lambda: judged(texts, folder))

    return tally.each(all_broken(), attempt)


def words(parsed: list[dict[str, Any]]) -> list[Any]:
    """Every value that stands anywhere in the examples."""
    found: list[Any] = []
    for each in parsed:
        for document in each.values():
            found.extend(value for _, value in _places(document))
    return found


def _places(
    value: Any, path: tuple[Any, ...] = ()
) -> Iterator[tuple[tuple[Any, ...], Any]]:
    if path:
        yield path, value
    steps = (
        value.items()
        if isinstance(value, dict)
        else enumerate(value)
        if isinstance(value, list)
        else ()
    )
    for step, inner in steps:
        yield from _places(inner, (*path, step))


def broken(
    rng: random.Random,
    texts: dict[str, str],
    parsed: dict[str, Any],
    known: list[Any],
) -> dict[str, str]:
    """The texts of a project with something broken in them."""
    made = dict(texts)
    for _ in range(rng.choice((1, 1, 1, 1, 2, 3))):
        name = rng.choice(sorted(made))
        if name.endswith(".json") and name in parsed and rng.random() < 0.93:
            try:
                data = json.loads(made[name])
            except (ValueError, RecursionError):
                continue
            made[name] = json.dumps(
                _changed(rng, data, known), indent=rng.choice((None, 2))
            )
        elif rng.random() < 0.8:
            made[name] = _scrambled(rng, made[name])
        else:
            _moved(rng, made, name)
    return made


def _changed(rng: random.Random, data: Any, known: list[Any]) -> Any:
    """The document with one value changed, removed, doubled or renamed."""
    data = copy.deepcopy(data)
    places = [path for path, _ in _places(data)]
    if not places:
        return rng.choice(ODD)
    *above, last = rng.choice(places)
    inside = data
    for step in above:
        inside = inside[step]
    how = rng.random()
    new = (
        rng.choice(ODD)
        if rng.random() < 0.5
        else copy.deepcopy(rng.choice(known))
    )
    if rng.random() < 0.7:
        # Something of the same kind: what comes of it is more often taken for
        # a project.
        alike = [
            each
            for each in (known if rng.random() < 0.7 else ODD)
            if type(each) is type(inside[last])
        ]
        inside[last] = copy.deepcopy(rng.choice(alike or [new]))
    elif how < 0.65:
        inside[last] = new
    elif how < 0.75:
        del inside[last]
    elif isinstance(inside, list):
        inside.insert(
            rng.randrange(len(inside) + 1),
            copy.deepcopy(inside[last]) if rng.random() < 0.5 else new,
        )
    else:
        inside[rng.choice([*inside, "zz", "", "\ud83d", "name"])] = (
            inside.pop(last) if rng.random() < 0.5 else new
        )
    return data


def _scrambled(rng: random.Random, text: str) -> str:
    """The text with characters changed, cut or put in."""
    at = rng.randrange(len(text) + 1)
    size = rng.choice((1, 1, 2, 10, 100))
    junk = rng.choice(
        ["", "\\ud800", "1" * 5000, "[" * 3000, "NaN", "Infinity", "-", "\x00", "\ufeff", "9e999", '"', "}", "]", ",", "\\",
         "".join(rng.choices(string.printable, k=size))]
    )  # fmt: skip
    how = rng.random()
    if how < 0.2:
        return text[:at]
    return text[:at] + junk + text[at + (size if how < 0.7 else 0) :]


def _moved(rng: random.Random, made: dict[str, str], name: str) -> None:
    """A file goes, or comes again by another name."""
    if rng.random() < 0.3:
        del made[name]
        return
    place = name.rpartition("/")[0]
    stem = rng.choice(
        [
            "Guard",
            "guard",
            "x" * 80,
            "a b",
            "é",
            ".x",
            "..",
            "a.b",
            "\ud800",
            "GUARD",
            "con",
            "x\ny",
        ]
    )
    made[
        f"{place}/{stem}.json"
        if place
        else rng.choice(["events.json", "project.json", "other.json"])
    ] = made[name]


def judged(texts: dict[str, str], folder: Path) -> str:
    """What goes wrong with a project; empty if nothing does, or if it is
    refused as it should be.
    """
    try:
        project = parse_project(texts)
    except ProjectError as error:
        return readable(str(error))
    return _identity(project, folder) or _used(project, folder)


def _identity(project: Project, folder: Path) -> str:
    """Whether a project reads back as it was saved."""
    if parse_project(document_texts(project)) != project:
        return "it reads back as another project"
    if hash(repr(project.cover)) % 8 == 0:
        save_project(project, folder / "saved")
        if (
            read_project(folder / "saved").model_copy(
                update={"nodes": project.nodes}
            )
            != project
        ):
            return "it reads back as another project from its folder"
    return ""


def _used(project: Project, folder: Path) -> str:
    """Validate, review, play and explain it."""
    own = project_catalog(project)
    problems = [*validate(project, own.catalog), *own.problems]
    for problem in problems:
        if how := readable(str(problem)):
            return how
    if any(not each.row_id for each in problems):
        return ""
    for finding in review(project, own.catalog):
        str(finding)
    scenario = project.scenario(project.cover.scenario)
    seconds = min(scenario.seconds, 6 / scenario.ticks_per_s)
    take = read_take(
        roll(
            RollOrder(
                project, scenario.name, folder / "t.take", seconds=seconds
            )
        )
    )
    export_text(take, ExportFormat.JSONL)
    review_take(take, own.catalog)
    for member in scenario.players[:3]:
        if member.behavior:
            explainer = Explainer(take, member.name)
            explainer.why(take.last_tick)
            for row_id in list(explainer.outline.number)[:3]:
                explainer.why_not(take.last_tick, row_id)
    return ""


def readable(text: str, *, quoted: bool = False) -> str:
    """What is wrong with a message; empty if nothing is. If it is `quoted` it
    is still to be shown as part of another.
    """
    lines = text.splitlines()
    if not text or any(len(line) > LONGEST_MESSAGE for line in lines):
        return f"a message of {max(map(len, lines), default=0)} characters"
    if quoted:
        return ""
    odd = [each for each in text if not each.isprintable() and each != "\n"]
    return f"a message with {odd[0]!r} in it" if odd else ""


def within(seconds: int, work: Callable[[], str]) -> str:
    """Do it, and have it fail if it takes too long."""

    def late(number: int, frame: FrameType | None) -> None:
        raise HangingError(f"it took longer than {seconds} s")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(seconds)
    try:
        return work()
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)
