"""A change made to all rows of a project, or to all of its scenarios."""

from collections.abc import Callable

from umbrant.model.behaviors import Behavior, Override, Row
from umbrant.model.documents import Project
from umbrant.model.expanded import BEHAVIOR
from umbrant.model.staging import Cue, Member, Scenario


def with_rows(
    project: Project, change: Callable[[Row, Behavior], Row]
) -> Project:
    """The project with all rows changed, those of variants' overrides too."""

    def override(each: Override, behavior: Behavior) -> Override:
        original = _original_row(project, behavior, each.row)
        if original is None:
            return each
        uses = {
            name: value
            for name, value in original.args.items()
            if name == BEHAVIOR
        }
        texts = change(
            Row(
                id=each.row,
                kind=original.kind,
                args={**uses, **each.args},
                binds=each.binds,
                guard=each.guard,
                decorators=each.decorators or (),
                upkeep=each.upkeep or (),
            ),
            behavior,
        )
        # What it does not set stays unset, rather than becoming empty.
        decorators, upkeep = None, None
        if each.decorators is not None:
            decorators = texts.decorators
        if each.upkeep is not None:
            upkeep = texts.upkeep
        return each.model_copy(
            update={
                "args": {
                    name: value
                    for name, value in texts.args.items()
                    if name in each.args
                },
                "binds": texts.binds,
                "guard": texts.guard,
                "decorators": decorators,
                "upkeep": upkeep,
                "instead": tuple(
                    change(row, behavior) for row in each.instead
                ),
            }
        )

    behaviors = [
        each.with_rows(change(row, each) for row in each.rows).model_copy(
            update={
                "overrides": tuple(
                    override(one, each) for one in each.overrides
                )
            }
        )
        for each in project.behaviors
    ]
    return project.model_copy(update={"behaviors": tuple(behaviors)})


def _original_row(
    project: Project, behavior: Behavior, row_id: str
) -> Row | None:
    """The row that an override of a variant changes, in the nearest behavior
    that has it; None if none of those it is a variant of does.
    """
    # Variants may name each other in a circle, which validation reports; the
    # walk must end.
    seen: set[str] = set()
    while behavior.variant_of and behavior.variant_of not in seen:
        seen.add(behavior.variant_of)
        found = project.find_behavior(behavior.variant_of)
        if found is None:
            return None
        behavior = found
        put_in = (
            row for override in behavior.overrides for row in override.instead
        )
        for row in (*behavior.rows, *put_in):
            if row.id == row_id:
                return row
    return None


def with_scenarios(
    project: Project,
    member: Callable[[Member], Member],
    cue: Callable[[Cue, Scenario], Cue],
) -> Project:
    """The project with all of the cast and all cues changed."""
    scenarios = [
        each.model_copy(
            update={
                "cast": tuple(member(one) for one in each.cast),
                "cues": tuple(cue(one, each) for one in each.cues),
            }
        )
        for each in project.scenarios
    ]
    return project.model_copy(update={"scenarios": tuple(scenarios)})
