"""What can be wrong with a behavior: with itself, as a variant, and with its
rows.
"""

from collections.abc import Iterator

from umbrant.catalog.kind import Catalog
from umbrant.catalog.validation.names import Known
from umbrant.catalog.validation.rows import BehaviorCheck, CleanBehavior
from umbrant.model.behaviors import Behavior
from umbrant.model.documents import Project
from umbrant.model.expanded import MOST_ROWS, expanded_size, resolve_variant
from umbrant.model.problems import Problem, did_you_mean


def behavior_problems(
    project: Project,
    behavior: Behavior,
    catalog: Catalog,
    known: Known,
    fine: CleanBehavior,
) -> Iterator[Problem]:
    """Every problem of one behavior. `known` is what `known_names` says of the
    project; `fine` is added to.
    """
    size = expanded_size(project, behavior.name)
    if size > MOST_ROWS:
        message = f"with all that it uses it has {size} rows; {MOST_ROWS} is the most."
        yield Problem(
            f"behaviors/{behavior.name}.json",
            "",
            message,
            "Use fewer behaviors inside each other.",
        )
    yield from _stat_problems(project, behavior)
    if behavior.variant_of is not None:
        faults_found = list(_variant_problems(project, behavior))
        yield from faults_found
        if not faults_found:
            yield from _own_problems(project, behavior, catalog, known, fine)
    else:
        yield from BehaviorCheck(
            project, behavior, catalog, known, fine
        ).problems()


def _own_problems(
    project: Project,
    variant: Behavior,
    catalog: Catalog,
    known: Known,
    fine: CleanBehavior,
) -> Iterator[Problem]:
    """The problems of a variant that its original does not have."""
    rows = resolve_variant(project, variant.name)
    original = resolve_variant(project, str(variant.variant_of)).by_id
    for problem in BehaviorCheck(
        project, rows, catalog, known, fine
    ).problems():
        row = rows.by_id.get(problem.row_id)
        if row is None or original.get(row.id) != row:
            yield problem


def _stat_problems(project: Project, behavior: Behavior) -> Iterator[Problem]:
    """The problems of the numbers that a variant gives to the bodies that have
    it.
    """
    file = f"behaviors/{behavior.name}.json"
    if behavior.stats and behavior.variant_of is None:
        message = "`stats` is for variants; this one is a variant of nothing."
        yield Problem(
            file, "", message, "Write the numbers with the bodies of the cast."
        )
        return
    bodies = [
        (member.name, member.body.stats)
        for scenario in project.scenarios
        for member in scenario.cast
        if member.behavior == behavior.name
    ]
    for name, value in behavior.stats.items():
        for member, stats in bodies:
            stat = stats.get(name)
            if stat is None:
                message = f"it begins '{name}' at {value:g}, which the body of '{member}' lacks."
                yield Problem(
                    file, "", message, did_you_mean(name, list(stats))
                )
            elif not stat.low <= value <= stat.high:
                message = (
                    f"it begins '{name}' at {value:g}, and that of '{member}' goes from "
                    f"{stat.low:g} to {stat.high:g}."
                )
                yield Problem(
                    file,
                    "",
                    message,
                    "Write a number in between, or widen the range.",
                )


def _variant_problems(
    project: Project, behavior: Behavior
) -> Iterator[Problem]:
    file = f"behaviors/{behavior.name}.json"
    names = {each.name: each for each in project.behaviors}
    if behavior.rows:
        yield Problem(
            file,
            "",
            "a variant has no rows of its own.",
            "Put them into `instead` of an override.",
        )
    chain = [behavior.name]
    name = behavior.variant_of
    while name is not None:
        if name not in names:
            yield Problem(
                file,
                "",
                f"`variant_of`: there is no behavior '{name}'.",
                did_you_mean(name, list(names)),
            )
            return
        if name in chain:
            yield Problem(
                file,
                "",
                f"it is a variant of itself, through {' and '.join(chain)}.",
                "Change one of them.",
            )
            return
        chain.append(name)
        name = names[name].variant_of
    known = resolve_variant(project, str(behavior.variant_of)).by_id
    for override in behavior.overrides:
        if override.row not in known:
            message = (
                f"it overrides the row '{override.row}', which '{behavior.variant_of}' "
                "does not have."
            )
            yield Problem(
                file, "", message, did_you_mean(override.row, list(known))
            )
