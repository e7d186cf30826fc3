"""Findings about rows of trees: what is never tried, what never lets go, what
goes without saying.
"""

from collections.abc import Iterator
from functools import partial
from hashlib import sha256
from itertools import pairwise

from umbrant.catalog.kind import RUNS, ChildOrder
from umbrant.model.behaviors import Row, Watch
from umbrant.model.edits import Edit, remove_part, set_guard, set_muted
from umbrant.model.kind_ids import ON_DONE, STATES
from umbrant.model.parts import part_name
from umbrant.model.values import ParamValue, Spread, number_text
from umbrant.review.behavior_analysis import BehaviorAnalysis, constant
from umbrant.review.findings import RuleMatch, Severity
from umbrant.review.machine_shape import ways_out
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
    """In a selector after one that cannot fail, in a sequence after one that
    cannot succeed.
    """
    for row in reading.rows:
        kind = reading.kind(row)
        if kind is None or not kind.allows_take_over:
            continue
        needs_failure = kind.goes_on_after == "failure"
        children = reading.children(row.id, *RUNS)
        for child, after in pairwise(children):
            ends = reading.ends(child)
            if needs_failure:
                goes_on = ends.fails
            else:
                goes_on = ends.succeeds
            if not goes_on:
                way = "succeed"
                if needs_failure:
                    way = "fail"
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
                    partial(
                        remove_part,
                        behavior=reading.name,
                        row_id=row.id,
                        part=part,
                    ),
                )
                said = "it is entered as without it"
                if share == 0:
                    said = "it is never entered"
                yield RuleMatch(
                    f"Its chance is {share:g}: {said}.", row.id, fix=edit
                )


@behavior_rule(
    "A guard that goes without saying",
    why="A condition that is always the same asks nothing.",
    severity=Severity.WARNING,
)
def settled_guard(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A guard that is always yes or always no, by itself or with keys that
    never change.
    """
    for row in reading.rows:
        said = None
        if row.guard:
            said = reading.settled(row.guard.when)
        if row.guard is None or said is None:
            continue
        why = reading.why_settled(row.guard.when)
        if said:
            remove = partial(
                set_guard, behavior=reading.name, row_id=row.id, when=""
            )
            edit = Edit("Take the guard off", remove)
            yield RuleMatch(f"Its guard is always yes{why}.", row.id, fix=edit)
        else:
            mute = partial(
                set_muted, behavior=reading.name, row_ids=[row.id], muted=True
            )
            edit = Edit("Mute the row", mute)
            message = f"Its guard is always no{why}, so it is never entered."
            yield RuleMatch(message, row.id, fix=edit)


@behavior_rule(
    "A condition that can never hold",
    why="Its parts contradict each other, or what it compares never changes.",
    severity=Severity.WARNING,
)
def impossible_condition(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A transition or a check whose condition asks something and is always no."""
    for row in reading.rows:
        when = str(row.args.get("when") or "")
        kind = reading.kind(row)
        param = None
        if kind is not None:
            param = kind.param("when")
        asks = when and constant(when) is None
        if asks and param is not None and reading.settled(when) is False:
            message = f"Its condition is always no{reading.why_settled(when)}."
            yield RuleMatch(message, row.id)


@behavior_rule(
    "A repeat that never ends",
    why="It goes on until its row ends in a way in which that row cannot end.",
    severity=Severity.WARNING,
)
def endless_repeat(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """*Repeat until* around a row that cannot end in the way that is waited for, where something
    comes after it. With nothing to come, for ever may be what is meant.
    """
    for row in reading.rows:
        for index, decorator in enumerate(row.decorators):
            inner = reading.ends(row, from_decorator=index + 1)
            result = str(decorator.args.get("result", "success"))
            if result == "success":
                comes = inner.succeeds
            else:
                comes = inner.fails
            is_endless = (
                decorator.kind == "repeat_until" and inner.ends and not comes
            )
            if is_endless and _is_waited_for(reading, row):
                other = "failure"
                if result == "failure":
                    other = "success"
                yield RuleMatch(
                    f"It is repeated until {result}, and it can only end with {other}.",
                    row.id,
                )


def _is_waited_for(reading: BehaviorAnalysis, row: Row) -> bool:
    """Whether anything is to be done once a row has ended by itself."""
    watched = row.guard is not None and row.guard.watch.while_running
    limited = any(each.kind == "time_limit" for each in row.decorators)
    if watched or limited or row.under is None:
        return False
    above = reading.behavior.row(row.under)
    kind = reading.kind(above)
    after = reading.children(above.id, *RUNS)[-1:]
    if (
        kind is not None
        and kind.order is ChildOrder.WRITTEN
        and after
        and after[0].id != row.id
    ):
        return True
    if above.kind in STATES:
        return any(each.kind == ON_DONE for each in ways_out(reading, above))
    return _is_waited_for(reading, above)


@behavior_rule(
    "A time limit that is too short",
    why="The limit always runs out first, so the row never succeeds.",
    severity=Severity.WARNING,
)
def short_limit(reading: BehaviorAnalysis) -> Iterator[RuleMatch]:
    """A time limit around a row that takes longer, with the delays inside the
    limit.
    """
    for row in reading.rows:
        kind = reading.kind(row)
        param = None
        if kind is not None and kind.takes_time:
            param = kind.param("duration")
        lasts = 0.0
        if param is not None:
            lasts = _least_s(row.args.get("duration", param.default))
        # From the inside out: a delay counts for the limits around it, not for
        # those within.
        for decorator in reversed(row.decorators):
            limit = decorator.args.get("limit", 5.0)
            if decorator.kind == "delay":
                lasts += _least_s(decorator.args.get("delay", 1.0))
            elif (
                decorator.kind == "time_limit"
                and isinstance(limit, int | float)
                and lasts > limit
            ):
                yield RuleMatch(
                    f"It takes {number_text(lasts)} s at least, and its time limit is "
                    f"{number_text(float(limit))} s.",
                    row.id,
                )


def _least_s(value: ParamValue | None) -> float:
    """The least that a duration can be; 0 for one that is kept in a key."""
    if isinstance(value, Spread):
        return value.mean - value.half_width
    if isinstance(value, int | float):
        return float(value)
    return 0.0


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
        above = None
        if row.under:
            above = reading.behavior.row(row.under)
        if above:
            siblings = reading.children(above.id, *RUNS)
        else:
            siblings = [row]
        has_later = bool(siblings) and siblings[-1].id != row.id
        kind = None
        if above is not None:
            kind = reading.kind(above)
        if kind is not None and kind.allows_take_over and has_later:
            continue
        if (
            kind is not None
            and kind.order is ChildOrder.TOGETHER
            and row.guard.watch.while_running
        ):
            # Side by side there is nothing to take over, and 'throughout' says
            # what is meant.
            continue
        if row.guard.watch.while_running:
            watch = Watch.WHILE_RUNNING
        else:
            watch = Watch.ON_ENTRY
        when = row.guard.when
        change = partial(
            set_guard,
            behavior=reading.name,
            row_id=row.id,
            when=when,
            watch=watch,
        )
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
    """A branch of some size that stands in the behaviors of one blackboard
    more than once.
    """
    seen: dict[tuple[str, str], tuple[BehaviorAnalysis, Row]] = {}
    for reading in analysis.readings:
        # A variant has the rows of its original: they are written once.
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
                title, about = (
                    f"{title} of {first.behavior.title}",
                    f"{first.name}/{other.id}",
                )
            yield RuleMatch(
                f"Its {len(inside)} rows say the same as {title}.",
                row.id,
                reading.file,
                about=about,
            )


def _looks(reading: BehaviorAnalysis) -> dict[str, str]:
    """What each branch says, its rows' ids and names left out. As they are
    read rows stand before those in them.
    """
    found: dict[str, str] = {}
    for row_id in reversed(list(reading.outline.number)):
        row = reading.behavior.row(row_id)
        says = row.model_copy(
            update={"id": "xx", "under": None, "name": "", "note": ""}
        ).model_dump_json()
        inside = "".join(
            found[child] for child in reading.outline.children[row.id]
        )
        found[row.id] = sha256(f"{says}({inside})".encode()).hexdigest()
    return found
