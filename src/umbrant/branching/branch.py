"""A branch: a take that is played from its first tick just as another one, up
to a tick at which something is done that was not done there.

It is the same scenario with cues of its own at that tick, so that everything
that reads a take reads a branch as well. Whatever happens before is held
against the parent: a branch whose past is not that of its parent is none.
"""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from umbrant.catalog.validation import validate
from umbrant.comparing.parting import first_difference
from umbrant.model.documents import Project
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Cue, CueAction, Scenario
from umbrant.project_nodes import project_catalog
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError
from umbrant.take.header import Header
from umbrant.take.reader import Take


def branch_order(
    parent: Take,
    tick: int,
    actions: Sequence[CueAction],
    path: Path,
    *,
    trusted: bool,
) -> RollOrder:
    """The order to play a branch of a take into a file. Raises ProjectError
    where what is to be done cannot be done in the take's project, and
    TakeError for a tick that the take does not have.
    """
    header = parent.header
    if not 0 <= tick < parent.ticks:
        end = header.seconds(parent.last_tick)
        raise TakeError(
            f"{parent.path}: the take ends at {end:.2f} s (tick {parent.last_tick}); branch off "
            "before that."
        )
    project = with_cues(header.project, header.scenario, tick, actions)
    # What was wrong before has been played all the same; only what is to be
    # done can be refused.
    catalog = project_catalog(project).catalog
    before = validate(header.project, catalog)
    # The cue that it would stand in is nobody's: it has not been written.
    problems = [
        replace(each, file="", row="")
        for each in validate(project, catalog)
        if each not in before
    ]
    if problems:
        raise ProjectError(problems)
    seconds = header.ticks / header.ticks_per_s
    return RollOrder(
        project,
        header.scenario,
        path,
        header.seed,
        seconds,
        trusted,
        branched_at=tick,
    )


def with_cues(
    project: Project, name: str, tick: int, actions: Sequence[CueAction]
) -> Project:
    """A project in whose scenario these actions are done at a tick, after all
    other cues.
    """
    scenario = project.scenario(name)
    at_s = tick / scenario.ticks_per_s
    cues = (
        *scenario.cues,
        *(Cue(at_s=at_s, does=action) for action in actions),
    )
    return project.with_scenario(scenario.model_copy(update={"cues": cues}))


def branch_actions(header: Header) -> tuple[CueAction, ...]:
    """What was done where a branch leaves its parent; nothing for a take that
    is no branch.
    """
    if header.branched_at is None:
        return ()
    at_s = header.seconds(header.branched_at)
    return tuple(
        cue.does
        for cue in header.played.cues
        if cue.at_s == at_s and not cue.when
    )


def kept_scenario(header: Header, name: str, title: str) -> Scenario:
    """The scenario of a branch, under another name, to be kept in a project."""
    update = {"name": name, "title": title, "seed": header.seed}
    return header.played.model_copy(update=update)


def check_past(parent: Take, branch: Take) -> None:
    """Raise TakeError if a branch did something else than its parent before it
    left it: then what follows says nothing of the parent. Such is a take of a
    game, of another version of the program, or of nodes that do not do the
    same each time.
    """
    tick = branch.header.branched_at or 0
    first = first_difference(parent, branch)
    if first is not None and first.tick < tick:
        header = parent.header
        raise TakeError(
            f"The take cannot be played again as it was: at {header.seconds(first.tick):.2f} s it "
            "comes out otherwise already. Its own nodes may be missing, or not do the same each "
            "time; or a game made it. Roll the scenario anew and branch off that take."
        )
