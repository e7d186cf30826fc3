"""Every view is painted for every kind of project, by day and by night, at 100
% and at 150 %.
"""

import json
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QSize
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from tests.conftest import DEMO
from tests.desk.conftest import Driver
from umbrant.desk.views.registry import VIEWS
from umbrant.desk.widgets.painted import FAULT
from umbrant.desk.widgets.shortened_label import ShortenedLabel

EXAMPLES = DEMO.parent
TABS = [spec.action for spec in VIEWS if spec.is_tab]
SCREEN = QSize(1280, 775)


def edited(folder: Path, file: str, **changes: object) -> None:
    path = folder / file
    path.write_text(json.dumps({**json.loads(path.read_text()), **changes}))


def a_new_project(hands: Driver, folder: Path) -> None:
    hands.window.new_project()
    hands.settle()


def first_steps(hands: Driver, folder: Path) -> None:
    shutil.copytree(EXAMPLES / "first-steps", folder)
    assert hands.open(folder)


def the_demo(hands: Driver, folder: Path) -> None:
    shutil.copytree(DEMO, folder)
    assert hands.open(folder)


def no_scenario(hands: Driver, folder: Path) -> None:
    shutil.copytree(EXAMPLES / "first-steps", folder)
    shutil.rmtree(folder / "scenarios")
    assert hands.window.open_folder(folder)


def no_cast(hands: Driver, folder: Path) -> None:
    shutil.copytree(EXAMPLES / "first-steps", folder)
    edited(folder, "scenarios/day.json", cast=[], cues=[])
    assert hands.open(folder)


def no_rows(hands: Driver, folder: Path) -> None:
    shutil.copytree(EXAMPLES / "first-steps", folder)
    edited(folder, "behaviors/guard.json", rows=[])
    assert hands.open(folder)


def no_take(hands: Driver, folder: Path) -> None:
    """A scenario that cannot be played: its stage is not there."""
    shutil.copytree(EXAMPLES / "first-steps", folder)
    edited(folder, "scenarios/day.json", stage="nowhere")
    assert hands.window.open_folder(folder)
    assert hands.desk.take is None


def a_broken_file(hands: Driver, folder: Path) -> None:
    """It cannot be opened, so that what was there before stays."""
    first_steps(hands, folder)
    (folder / "behaviors" / "guard.json").write_text('{"title": "Half')
    assert not hands.window.open_folder(folder)


def a_take_from_a_game(hands: Driver, folder: Path) -> None:
    shutil.copytree(EXAMPLES / "own-game", folder)
    subprocess.run(
        [sys.executable, str(folder / "game.py"), "--watch"],
        cwd=folder,
        check=True,
        capture_output=True,
    )
    hands.answers.trusting = False
    assert hands.open(folder / "cellar")
    (take,) = folder.rglob("*.take")
    before = hands.desk.takes.current
    hands.desk.takes.open(take)
    hands.until(lambda: hands.desk.takes.current is not before)


def a_rehearsal(hands: Driver, folder: Path) -> None:
    the_demo(hands, folder)
    rehearsing = hands.pane.rehearsing
    hands.pane.actions_by_id["rehearse"].trigger()
    hands.until(
        lambda: rehearsing.frame is not None and rehearsing.frame.tick > 2
    )


SITUATIONS: tuple[Callable[[Driver, Path], None], ...] = (
    a_new_project,
    first_steps,
    the_demo,
    no_scenario,
    no_cast,
    no_rows,
    no_take,
    a_broken_file,
    a_take_from_a_game,
    a_rehearsal,
)


@pytest.mark.parametrize(
    "situation", SITUATIONS, ids=lambda each: each.__name__
)
def test_every_view_is_painted(
    driver: Driver, tmp_path: Path, situation: Callable[[Driver, Path], None]
) -> None:
    situation(driver, tmp_path / "project")
    behavior = driver.desk.behavior
    rows = (
        [row.id for row in behavior.rows]
        if behavior and behavior.rows
        else [""]
    )
    for tab in TABS:
        driver.pane.actions_by_id[tab].trigger()
        for night in (False, True):
            driver.window.set_night(night)
            for scale in (1.0, 1.5):
                driver.desk.select_row(
                    rows[hash_of(tab, night, scale) % len(rows)]
                )
                assert_painted(driver, scale)
                if scale == 1.0:
                    assert [
                        each for each in headings(driver) if each.endswith("…")
                    ] == []


def hash_of(tab: str, night: bool, scale: float) -> int:
    """Some number, another for each, so that many rows are selected in turn."""
    return TABS.index(tab) * 4 + night * 2 + (scale > 1)


def headings(hands: Driver) -> list[str]:
    """What can be read of the lines about the views that are seen."""
    return [
        line.shown()
        for line in hands.window.findChildren(ShortenedLabel)
        if line.isVisible() and line.parentWidget().objectName() == "heading"
    ]


def assert_painted(hands: Driver, scale: float) -> None:
    """The whole window is painted at a scale, on the same screen, and no view
    says that it could not be.
    """
    hands.window.resize(
        round(SCREEN.width() / scale), round(SCREEN.height() / scale)
    )
    image = QImage(SCREEN, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(scale)
    hands.window.render(image, QPoint())
    views = [
        each
        for each in (hands.window, *hands.window.findChildren(QWidget))
        if each.property(FAULT)
    ]
    assert views == []
    assert (
        len(
            {
                image.pixel(x, y)
                for x in range(0, 1280, 16)
                for y in range(0, 775, 8)
            }
        )
        > 8
    )
