"""The program as people start it, on a real display with a window manager, by
keys and mouse from outside.
"""

import json
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.screen.display import HIGH, ROOT, WIDE, Display
from tests.waiting import PATIENCE_S

DEMO_TITLE, NEW_TITLE = "Lantern Quay — Umbrant", "*New project — Umbrant"
LEAST_TITLE_BAR = 12
"""How high, in pixels, the title bar of a window manager is at the least."""
SETTING_TAB = (160, 99)
"""Where the tab of the setting is, below the title bar, menus and the bar."""


class Visit:
    """The program, started with `./run` by somebody who has a home of their
    own.
    """

    def __init__(self, display: Display, home: Path, *arguments: str) -> None:
        self.display = display
        self._home = home
        command = [str(ROOT / "run"), *arguments]
        self._process = subprocess.Popen(
            command,
            env=display.environment(HOME=str(home)),
            stderr=subprocess.PIPE,
        )

    def lives(self) -> bool:
        return self._process.poll() is None

    def quit(self) -> None:
        """Close the window as one does, and see that the program has ended in
        good order, with nothing to tell.
        """
        self.display.key("ctrl+q")
        assert self._process.wait(PATIENCE_S) == 0
        log = (
            self._home / ".local" / "state" / "umbrant" / "log" / "umbrant.log"
        )
        assert not log.exists() or log.read_text() == ""
        assert list(log.parent.glob("crash-*")) == []

    def end(self) -> None:
        if self.lives():
            self._process.kill()
        self._process.communicate(timeout=PATIENCE_S)


@pytest.fixture
def display(tmp_path: Path) -> Iterator[Display]:
    found = Display(tmp_path)
    yield found
    found.close()


def lanes_are_drawn(display: Display) -> bool:
    """Whether a take is shown: much of the lanes is coloured, whatever the
    colours are.
    """
    image = display.picture()
    return (
        sum(
            image.pixelColor(x, y).saturation() > 70
            for x in range(120, 1240, 8)
            for y in range(640, 760, 3)
        )
        > 300
    )


def open_folder(display: Display, folder: Path, title: str) -> None:
    """Ctrl+O, the path, Enter."""
    asks = "Open the folder of a project"
    display.key("ctrl+o")
    display.wait_for_title(asks)
    display.type(f"{folder}")
    # On a busy machine the first Enter may be taken by the dialog's list of
    # names, which then closes.
    for _ in range(3):
        display.key("Return")
        if display.is_seen(lambda: display.title() != asks, within_s=5.0):
            break
    display.wait_for_title(title)


def test_a_first_visit_a_project_of_ones_own_and_five_others(
    display: Display, tmp_path: Path
) -> None:
    home = tmp_path / "home"
    home.mkdir()
    visit = Visit(display, home)
    try:
        display.wait_for_title(DEMO_TITLE)
        display.wait("the first take", lambda: lanes_are_drawn(display))
        _fits_onto_the_screen(display)
        _keys_work_at_once(display)
        _a_project_is_built_to_a_take(display, visit, tmp_path / "mine")
        _projects_are_switched(display, visit, tmp_path)
        visit.quit()
    finally:
        visit.end()
    again = Visit(display, home, str(tmp_path / "mine"))
    try:
        display.wait_for_title("New project — Umbrant")
        display.rest()
        again.quit()
    finally:
        again.end()


def _fits_onto_the_screen(display: Display) -> None:
    """The window leaves the desktop's edges alone, and the foot of the
    transport is seen.
    """
    display.wait(
        "a window that fits",
        lambda: display.size()[1] <= HIGH - LEAST_TITLE_BAR,
    )
    assert display.size()[0] <= WIDE
    image = display.rest()
    foot = [image.pixelColor(x, HIGH - 22).lightness() for x in range(20, 230)]
    assert min(foot) < 80, "the icons of the transport are cut off"


def _keys_work_at_once(display: Display) -> None:
    """Space plays and pauses, N goes to the next change of mind, without a
    click before.
    """
    still = display.rest()
    display.key("space")
    display.wait("something that plays", lambda: display.picture() != still)
    display.key("space")
    paused = display.rest()
    display.key("n")
    display.wait(
        "the next change of mind", lambda: display.picture() != paused
    )
    display.rest()


def _a_project_is_built_to_a_take(
    display: Display, visit: Visit, folder: Path
) -> None:
    """A new project, its setting by mouse, a row by typing, saved where it was
    asked for.
    """
    display.key("ctrl+n")
    display.wait_for_title(NEW_TITLE)
    display.rest()
    display.click(*SETTING_TAB)
    shown = display.rest()
    assert visit.lives(), "the setting of a new project ends the program"
    display.key("ctrl+5")
    display.wait("the rows", lambda: display.picture() != shown)
    display.rest()
    display.key("Return")
    display.type("wait 2")
    display.key("Return")
    display.rest()
    display.wait("a take of the new project", lambda: lanes_are_drawn(display))
    folder.mkdir()
    display.key("ctrl+s")
    display.wait_for_title("Save the project to a folder")
    display.type(str(folder))
    display.key("Return")
    display.wait_for_title("New project — Umbrant")
    behaviors = [
        json.loads(each.read_text())
        for each in (folder / "behaviors").iterdir()
    ]
    kinds = [row["kind"] for behavior in behaviors for row in behavior["rows"]]
    assert "wait" in kinds


def _projects_are_switched(
    display: Display, visit: Visit, tmp_path: Path
) -> None:
    """Five times, each time with the setting shown by mouse."""
    quay = Path(shutil.copytree(DEMO, tmp_path / "quay"))
    yard = Path(
        shutil.copytree(DEMO.parent / "first-steps", tmp_path / "yard")
    )
    titles = {
        quay: DEMO_TITLE,
        yard: f"{json.loads((yard / 'project.json').read_text())['title']} — Umbrant",
    }
    for folder in (quay, yard, quay, yard, quay):
        open_folder(display, folder, titles[folder])
        display.rest()
        display.click(*SETTING_TAB)
        display.rest()
        assert visit.lives()
