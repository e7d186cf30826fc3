"""Expectations as files: written, changed, removed. What cannot be is told,
and nothing is lost.
"""

from pathlib import Path
from typing import Any

from pydantic import ValidationError

from umbrant.catalog.language.tree import LanguageError
from umbrant.expecting.expectation import (
    FOLDER,
    Expectation,
    Expected,
    agents_of,
)
from umbrant.expecting.history import TakeSignals
from umbrant.model.files import write_atomically
from umbrant.model.problems import in_words
from umbrant.take.reader import Take

BY_S, WITHIN_S, BETWEEN = 10.0, 2.0, (0.2, 0.4)
"""What a new kind of expectation begins with."""


class ExpectationError(ValueError):
    """Why an expectation cannot be so, with the way out."""


def write_expectation(
    folder: Path, file: str, expectation: Expectation
) -> None:
    """Write an expectation into a file of a project's folder, such as
    `expectations/a.json`. Raises OSError; the file is then as it was.
    """
    path = folder / file
    path.parent.mkdir(exist_ok=True)
    write_atomically(
        path,
        expectation.model_dump_json(indent=2, exclude_defaults=True) + "\n",
    )


def remove_expectation(folder: Path, file: str) -> None:
    """Delete the file of an expectation. Raises OSError."""
    (folder / file).unlink(missing_ok=True)


def new_file(folder: Path) -> str:
    """A file for one more expectation of a project: none that is there."""
    taken = {path.name for path in (folder / FOLDER).glob("*.json")}
    name = next(
        each
        for index in range(1, len(taken) + 2)
        if (each := f"expectation-{index}.json") not in taken
    )
    return f"{FOLDER}/{name}"


def with_field(
    expectation: Expectation, field: str, value: Any
) -> Expectation:
    """An expectation with another value of a field. One of another kind begins
    with what that kind needs. Raises ExpectationError.
    """
    fields = {**expectation.model_dump(), field: value}
    if field == "expect":
        fields |= _needed(Expected(value), expectation)
    try:
        return Expectation.model_validate(fields)
    except ValidationError as error:
        says = in_words(error.errors(include_url=False)[0])
        raise ExpectationError(f"{says}.") from None


def _needed(kind: Expected, before: Expectation) -> dict[str, Any]:
    """What a kind must say that the expectation does not say yet."""
    if kind is Expected.BY and before.by_s is None:
        return {"by_s": BY_S}
    if kind is Expected.OFTEN and before.between is None:
        return {"between": BETWEEN}
    if kind is Expected.WHENEVER:
        if before.within_s is None:
            within_s = WITHIN_S
        else:
            within_s = before.within_s
        return {"then": before.then or before.that, "within_s": within_s}
    # Of other kinds a time is a bound that nobody asked for.
    if before.expect is Expected.WHENEVER:
        return {"within_s": None}
    return {}


def checked_text(
    text: str, expectation: Expectation, take: Take | None
) -> str:
    """A condition over a take, as it may stand in an expectation. Raises
    ExpectationError. Without a take only whether there is anything can be
    told.
    """
    text = text.strip()
    if not text:
        raise ExpectationError("Write a condition, such as ran(1.2).")
    if take is None:
        return text
    try:
        for agent in agents_of(expectation, take)[:1]:
            TakeSignals(take, agent).holds(text)
    except LanguageError as error:
        raise ExpectationError(f"{error}.") from None
    return text
