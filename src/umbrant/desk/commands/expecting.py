"""Writing down what must be so, from what is so at the playhead."""

import math

from umbrant.catalog.language.tree import LanguageError
from umbrant.desk.session.desk import Desk
from umbrant.desk.widgets.dialogs import Dialogs
from umbrant.expecting.expectation import (
    FOLDER,
    Expectation,
    Expected,
    NamedExpectation,
    broken_in,
)
from umbrant.expecting.files import new_file, write_expectation


def expect_now(desk: Desk, dialogs: Dialogs) -> str:
    """Ask for a condition that must have held by the playhead, and keep it as
    an expectation. Returns what is to be told; empty where the author thought
    better of it.
    """
    folder, take, row = desk.documents.folder, desk.take, desk.row
    if folder is None:
        return "Save the project first: expectations are kept in its folder."
    number = ""
    if desk.behavior is not None and row is not None:
        number = desk.behavior.outline.number[row.id]
    seconds = max(1, math.ceil(desk.seconds(desk.playhead)))
    that = dialogs.text(
        "Expect this",
        f"By {seconds} s of every take, for {desk.agent}:",
        f"ran({number})",
        "Expect",
    )
    if that is None or take is None:
        return ""
    if desk.scenario_name == desk.project.cover.scenario:
        scenario = ""
    else:
        scenario = desk.scenario_name
    expectation = Expectation(
        expect=Expected.BY,
        that=that,
        by_s=float(seconds),
        of=desk.agent,
        scenario=scenario,
    )
    try:
        broken = broken_in(expectation, take)
    except LanguageError as error:
        return f"{that}: {error}. Nothing was written."
    file = new_file(folder)
    try:
        write_expectation(folder, file, expectation)
    except OSError as error:
        return f"{folder / FOLDER}: the expectation could not be written: {error.strerror}."
    desk.expect(NamedExpectation(file, expectation))
    is_so = "it holds in this take"
    if broken:
        is_so = "it does not hold in this take"
    return f"{expectation.sentence}: {is_so}. It stands in {file}."
