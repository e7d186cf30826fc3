"""Branches in the window: playing on from the playhead with something done
there, and keeping what was done.
"""

from collections.abc import Sequence

from umbrant.branching.actions import ActionScope, action_text
from umbrant.branching.branch import branch_order, kept_scenario
from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.desk.session.desk import Desk
from umbrant.model.documents import Project
from umbrant.model.edits import Edit
from umbrant.model.problems import ProjectError
from umbrant.model.staging import CueAction
from umbrant.nearest.search import NearestChange
from umbrant.rolling.roll import RollOrder
from umbrant.take.errors import TakeError


def action_scope(desk: Desk) -> ActionScope | None:
    """What can be named in a branch from the playhead; None without a take."""
    if desk.take is not None:
        return ActionScope(desk.take, desk.agent, desk.playhead)
    return None


def branch(
    desk: Desk, actions: Sequence[CueAction], tick: int | None = None
) -> None:
    """Play on from a tick, the playhead's if none is given, with these actions
    done there. A message says what cannot be done.
    """
    scope = action_scope(desk)
    if scope is None:
        desk.message.emit("There is no take to branch off yet.")
        return
    if desk.takes.current is None or not desk.takes.current.is_finished:
        desk.message.emit(
            "This take is still being played. Branch off it once it is there."
        )
        return
    # Where nodes of its own are missing the branch comes out otherwise than
    # its parent before it leaves it, and is refused when it is read.
    trusted = (
        desk.documents.may_run_nodes
        and scope.take.header.project.nodes == desk.project.nodes
    )
    path = desk.takes.next_file()
    try:
        order = branch_order(
            scope.take,
            desk.playhead if tick is None else tick,
            actions,
            path,
            trusted=trusted,
        )
    except (ProjectError, TakeError) as error:
        desk.message.emit(str(error))
        return
    says = "; ".join(action_text(each, scope.behavior) for each in actions)
    desk.takes.branch(order, says)


def do_nearest(
    desk: Desk, change: NearestChange, *, compares: bool = False
) -> None:
    """Write a change into the project; or show what becomes of it beside the
    take that is shown, with the project as it is. What is done at a tick
    becomes a branch.
    """
    take = desk.take
    if change.done_at is not None:
        branch(desk, change.actions, change.done_at)
    elif compares and take is not None:
        header = take.header
        seconds = header.ticks / header.ticks_per_s
        changed, path = change.put(header.project), desk.takes.next_file()
        trusted = (
            desk.documents.may_run_nodes
            and header.project.nodes == desk.project.nodes
        )
        order = RollOrder(
            changed, header.scenario, path, header.seed, seconds, trusted
        )
        desk.takes.order_other(order, change.short)
    else:
        desk.apply(Edit(change.short, change.put))


def keep_branch(desk: Desk) -> None:
    """Write what was done in the branch that is shown into the project, as a
    scenario of its own.
    """
    take = desk.take
    if take is None or desk.branched_at is None:
        desk.message.emit("Only a branch can be kept as a scenario.")
        return
    played = take.header.played
    name = fresh_name(
        f"{played.name}-what-if",
        [each.name for each in desk.project.scenarios],
        "-",
    )
    kept = kept_scenario(take.header, name, f"{played.title}, what if")

    def with_it(project: Project) -> Project:
        return project.model_copy(
            update={"scenarios": (*project.scenarios, kept)}
        )

    if desk.apply(Edit("Keep as a scenario", with_it)):
        desk.message.emit(f"It is kept as the scenario “{kept.title}”.")
