"""The steps of the guide, as they are written: keys in **bold**, what is typed
in `code`, and behind an arrow in *italics* what is seen then.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from benchmarks.hands import perform
from PySide6.QtCore import Qt
from pytestqt.exceptions import TimeoutError

from tests.desk.conftest import Driver
from umbrant.desk.views.ledger.model import OUTLINE
from umbrant.desk.views.reasons import ReasonsView

SECTION = "## One NPC, in ten minutes"
_SEEN = re.compile(r"\*(?P<seen>[^*]+)\*")


@dataclass(frozen=True)
class GuideStep:
    """One line of the guide: what is pressed and typed, in order, and what is
    seen then.
    """

    line: str
    does: str
    seen: tuple[str, ...]


def guide_steps(page: Path) -> list[GuideStep]:
    """The steps of the guide's first section, each a list item."""
    text = (
        page.read_text(encoding="utf-8")
        .split(SECTION, 1)[1]
        .split("\n## ", 1)[0]
    )
    items = re.findall(r"^- (.*(?:\n  .*)*)", text, re.MULTILINE)
    return [_step(" ".join(item.split())) for item in items]


def _step(line: str) -> GuideStep:
    does, _, shows = line.partition("→")
    return GuideStep(
        line, does, tuple(found["seen"] for found in _SEEN.finditer(shows))
    )


def follow(driver: Driver, step: GuideStep) -> None:
    """Press and type what a step says; fails where that is not to be seen
    which the step says.
    """
    perform(step.does)
    for wanted in step.seen:
        try:
            driver.until(
                lambda wanted=wanted: any(
                    wanted in each for each in shown(driver)
                )
            )
        except TimeoutError as error:
            listed = "\n".join(shown(driver))
            raise AssertionError(
                f"{step.line}\n‘{wanted}’ is not seen in:\n{listed}"
            ) from error


def shown(driver: Driver) -> Iterator[str]:
    """What the window says in words."""
    yield from driver.names()
    yield driver.reasons()
    yield from driver.messages
    for index in range(driver.ledger.ledger.rowCount()):
        yield str(
            driver.ledger.ledger.index(index, OUTLINE).data(
                Qt.ItemDataRole.DisplayRole
            )
            or ""
        )
    yield from (line.text for line in driver.pane.setting.setting.lines)
    yield driver.pane.views.of(ReasonsView).toPlainText()
