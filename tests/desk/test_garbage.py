"""Takes are left out of the search for garbage, and what was left out is
reclaimed in the end.
"""

import gc
import weakref
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import DEMO
from umbrant.catalog.validation import open_project
from umbrant.desk import garbage
from umbrant.desk.session.loader import Load, load
from umbrant.rolling.roll import RollOrder, roll


class Ring:
    """Something that refers to itself, so that only a search finds that nobody
    needs it.
    """

    def __init__(self) -> None:
        self.me = self


@pytest.fixture
def policy() -> Iterator[None]:
    before = gc.get_threshold()
    garbage.leave_out_what_lives_long()
    yield
    garbage._Policy.is_on = False
    gc.set_threshold(*before)


@pytest.mark.usefixtures("policy")
def test_a_take_that_was_read_is_not_searched(tmp_path: Path) -> None:
    take = roll(RollOrder(open_project(DEMO), "dusk", tmp_path / "dusk.take"))
    known, left_out = len(gc.get_objects()), gc.get_freeze_count()
    loaded = load(Load(take))
    made = gc.get_freeze_count() - left_out
    assert made > 10_000
    assert len(gc.get_objects()) < known + made / 10
    # It is no garbage as long as somebody has it, and is gone with whoever
    # does.
    agent = weakref.ref(loaded.take)
    gc.collect()
    assert agent() is not None
    del loaded
    assert agent() is None


@pytest.mark.usefixtures("policy")
def test_what_was_left_out_is_reclaimed_once_all_is_searched() -> None:
    with garbage.making_what_lives_long():
        ring = weakref.ref(Ring())
    gc.collect()
    assert ring() is not None
    garbage.reclaim_everything()
    assert ring() is None


@pytest.mark.usefixtures("policy")
def test_what_is_garbage_before_is_reclaimed_at_once() -> None:
    ring = weakref.ref(Ring())
    with garbage.making_what_lives_long():
        assert ring() is None


def test_without_a_window_python_decides() -> None:
    before = gc.get_freeze_count()
    with garbage.making_what_lives_long():
        kept = [Ring() for _ in range(100)]
    garbage.reclaim_everything()
    # Of what a window before has left out some may have gone meanwhile.
    assert before - len(kept) < gc.get_freeze_count() <= before
    assert len(kept) == 100
