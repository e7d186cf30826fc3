"""Findings about rows of trees: what is never tried, what never lets go, what goes without
saying.
"""

from collections.abc import Iterator
from functools import partial
from hashlib import sha256
from itertools import pairwise

from umbrant.catalog.declare import RUNS
from umbrant.model.behaviors import Row, Watch
from umbrant.model.edits import Edit, remove_part, set_guard, set_muted
from umbrant.model.parts import part_name
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.project_analysis import ProjectAnalysis
from umbrant.review.rules import behavior_rule, project_rule

LEAST_COPIED = 4
"""How many rows a branch has at least that is worth writing once."""


@behavior_rule(
    "A row that is never tried",
    why="The rows before it never let it be its turn, so what it says is never done.",
    severity=Severity.WARNING,
)
def never_tried(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """In a selector after one that cannot fail, in a sequence after one that cannot succeed."""
    for row in reading.rows:
        kind = reading.kind(row)
        if kind is None or not kind.allows_take_over:
            continue
        needs_failure = kind.goes_on_after == "failure"
        children = reading.children(row.id, *RUNS)
        for child, after in pairwise(children):
            ends = reading.ends(child)
            goes_on = ends.fails if needs_failure else ends.succeeds
            if not goes_on:
                way = "fail" if needs_failure else "succeed"
                yield RuleMatch(
                    f"It is never tried, for {reading.called(child)} before it can never {way}.",
                    after.id,
                )
                break


@behavior_rule(
    "A chance of never or always",
    why="A chance of 0 keeps the row from ever being entered, and one of 1 does nothing.",
    severity=Severity.WARNING,
)
def idle_chance(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A chance that is 0 or 1."""
    for row in reading.rows:
        for index, decorator in enumerate(row.decorators):
            share = decorator.args.get("share", 0.5)
            if decorator.kind == "chance" and share in (0, 1):
                part = part_name("decorator", index)
                edit = Edit(
                    "Take the chance off",
                    partial(remove_part, behavior=reading.name, row_id=row.id, part=part),
                )
                said = "it is never entered" if share == 0 else "it is entered as without it"
                yield RuleMatch(f"Its chance is {share:g}: {said}.", row.id, fix=edit)


@behavior_rule(
    "A guard that goes without saying",
    why="A condition that asks nothing is the same at every tick.",
    severity=Severity.WARNING,
)
def settled_guard(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A guard that is always yes or always no."""
    for row in reading.rows:
        said = constant(row.guard.when) if row.guard else None
        if said is True:
            remove = partial(set_guard, behavior=reading.name, row_id=row.id, when="")
            edit = Edit("Take the guard off", remove)
            yield RuleMatch("Its guard is always yes.", row.id, fix=edit)
        elif said is False:
            mute = partial(set_muted, behavior=reading.name, row_ids=[row.id], muted=True)
            edit = Edit("Mute the row", mute)
            yield RuleMatch("Its guard is always no, so it is never entered.", row.id, fix=edit)


@behavior_rule(
    "A take-over with nothing to take over",
    why=(
        "Only a row with others after it in the same selector or sequence can take the place of "
        "one that runs."
    ),
    severity=Severity.WARNING,
)
def idle_take_over(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A guard that watches for a take-over in a place where there can be none."""
    for row in reading.rows:
        if row.guard is None or not row.guard.watch.take_over:
            continue
        above = reading.behavior.row(row.under) if row.under else None
        siblings = reading.children(above.id, *RUNS) if above else [row]
        has_later = bool(siblings) and siblings[-1].id != row.id
        kind = reading.kind(above) if above is not None else None
        if kind is not None and kind.allows_take_over and has_later:
            continue
        watch = Watch.WHILE_RUNNING if row.guard.watch.while_running else Watch.ON_ENTRY
        when = row.guard.when
        change = partial(set_guard, behavior=reading.name, row_id=row.id, when=when, watch=watch)
        edit = Edit(f"Watch {watch}", change)
        yield RuleMatch(
            "Its guard watches for a take-over, but there is nothing after it to take over.",
            row.id,
            fix=edit,
        )


@project_rule(
    "The same rows twice",
    why=(
        "What is written twice is mended once and forgotten once. A behavior of its own can be "
        "used in both places."
    ),
    severity=Severity.HINT,
)
def written_twice(analysis: ProjectAnalysis) -> Iterator[RuleMatch]:
    """A branch of some size that stands in the behaviors of one blackboard more than once."""
    seen: dict[tuple[str, str], tuple[BehaviorAnalysis, Row]] = {}
    for reading in analysis.readings:
        if reading.behavior.variant_of is not None:
            continue
        covered: set[str] = set()
        looks_of = _looks(reading)
        for row in reading.rows:
            inside = list(reading.outline.within(row.id))
            if len(inside) < LEAST_COPIED or row.id in covered:
                continue
            first, other = seen.setdefault(
                (reading.behavior.blackboard, looks_of[row.id]), (reading, row)
            )
            if first is reading and other is row:
                continue
            covered.update(inside)
            title, about = first.called(other), other.id
            if first is not reading:
                title, about = f"{title} of {first.behavior.title}", f"{first.name}/{other.id}"
            yield RuleMatch(
                f"Its {len(inside)} rows say the same as {title}.",
                row.id,
                reading.file,
                about=about,
            )


def _looks(reading: BehaviorAnalysis) -> dict[str, str]:
    """What each branch says, its rows' ids and names left out. As they are read rows stand before
    those in them.
    """
    found: dict[str, str] = {}
    for row_id in reversed(list(reading.outline.number)):
        row = reading.behavior.row(row_id)
        says = row.model_copy(
            update={"id": "xx", "under": None, "name": "", "note": ""}
        ).model_dump_json()
        inside = "".join(found[child] for child in reading.outline.children[row.id])
        found[row.id] = sha256(f"{says}({inside})".encode()).hexdigest()
    return found
