"""Undo and redo."""

import pytest

from tests.small import project, row
from umbrant.desk.session.history import History
from umbrant.model.documents import Project
from umbrant.model.edits import Edit, rename_row


def named(name: str, merges: str = "") -> Edit:
    return Edit(
        f"Name {name}", lambda made: rename_row(made, "b", "top", name), merges
    )


def history() -> History:
    made = project(row("top", "wait", name="first"))
    return History(made, made)


def name(of: History) -> str:
    return of.project.behavior("b").row("top").name


def test_undo_goes_back_step_by_step_and_redo_forward() -> None:
    past = history()
    past.do(named("second"))
    past.do(named("third"))
    assert (past.undo(), name(past)) == ("Name third", "second")
    assert (past.undo(), name(past)) == ("Name second", "first")
    assert past.undo() is None
    assert (past.redo(), name(past)) == ("Name second", "second")
    assert (past.redo(), name(past)) == ("Name third", "third")
    assert past.redo() is None


def test_an_edit_that_changes_nothing_is_no_step() -> None:
    past = history()
    assert past.do(named("first")) is False
    assert past.undo_name is None


def test_edits_that_merge_are_one_step_with_the_last_ones_name() -> None:
    past = history()
    for each in ("a", "b", "c"):
        past.do(named(each, merges="drag 1"))
    assert past.undo_name == "Name c"
    past.undo()
    assert name(past) == "first"
    assert past.redo() == "Name c"
    assert name(past) == "c"


def test_settling_ends_a_run_of_merging_edits() -> None:
    past = history()
    past.do(named("a", merges="drag 1"))
    past.settle()
    past.do(named("b", merges="drag 1"))
    past.undo()
    assert name(past) == "a"


def test_runs_of_different_drags_are_different_steps() -> None:
    past = history()
    past.do(named("a", merges="drag 1"))
    past.do(named("b", merges="drag 2"))
    past.undo()
    assert name(past) == "a"


def test_a_new_edit_forgets_what_could_be_redone() -> None:
    past = history()
    past.do(named("a"))
    past.undo()
    past.do(named("b"))
    assert past.redo_name is None


def test_an_edit_that_raises_leaves_everything_as_it_was() -> None:
    def broken(made: Project) -> Project:
        raise KeyError("no such row")

    past = history()
    past.do(named("a", merges="drag 1"))
    with pytest.raises(KeyError):
        past.do(Edit("Break", broken, merges="drag 1"))
    assert (name(past), past.undo_name) == ("a", "Name a")
    past.do(named("b", merges="drag 1"))
    past.undo()
    assert name(past) == "first"


def test_going_back_to_what_is_saved_is_no_unsaved_change() -> None:
    past = history()
    past.do(named("a"))
    assert past.unsaved
    past.undo()
    assert not past.unsaved
    past.do(named("a"))
    past.do(named("first"))
    assert not past.unsaved
