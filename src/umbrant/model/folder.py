"""A project as a folder of JSON files: read with every problem gathered, saved
so that nothing is ever half written.
"""

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from umbrant.model.behaviors import Behavior, Blackboard, EventList, NodeFile
from umbrant.model.documents import Cover, Project
from umbrant.model.files import (
    BusyError,
    finish_save,
    is_unfinished,
    locked,
    names_in,
    read_text,
    save_files,
)
from umbrant.model.json_text import JsonError, read_json
from umbrant.model.outline import Outline, OutlineError
from umbrant.model.problems import Problem, ProjectError, explained
from umbrant.model.staging import Scenario, Stage
from umbrant.model.values import Document

COVER_FILE, EVENTS_FILE, NODES = "project.json", "events.json", "nodes"

FOLDERS: dict[
    str, type[Behavior] | type[Blackboard] | type[Stage] | type[Scenario]
] = {
    "behaviors": Behavior,
    "blackboards": Blackboard,
    "stages": Stage,
    "scenarios": Scenario,
}
"""Each folder of a project and the kind of document its files hold; also the
names of Project's fields.
"""

_Document = TypeVar("_Document", bound=Document)

TEXT = "_text"
"""Where a document keeps its text, beside its fields."""

_POINT = re.compile(r"\[\n\s+(-?[\d.eE+-]+),\n\s+(-?[\d.eE+-]+)\n\s+\]")
_ONE_FIELD = re.compile(r'\{\n\s+("\w+": (?:"[^"\n]*"|-?[\d.eE+-]+))\n\s+\}')
_SPREAD = re.compile(
    r'\{\n\s+("mean": [^\n]+,)\n\s+("half_width": [^\n]+)\n\s+\}'
)


def read_project(folder: Path) -> Project:
    """Read a project's files. Raises ProjectError with every problem of every
    file; names in it are not checked.

    A save that a crash has cut short is finished first.
    """
    if is_unfinished(folder):
        with (
            _as_project_error(
                folder, "A save was cut short and cannot be finished"
            ),
            locked(folder),
        ):
            finish_save(folder)
    problems: list[Problem] = []
    texts: dict[str, str] = {}
    # One lock for all files: read one by one they could be of two different
    # saves.
    with (
        _as_project_error(folder, "it cannot be read"),
        locked(folder, shared=True),
    ):
        names = [COVER_FILE]
        if (folder / EVENTS_FILE).exists():
            names.append(EVENTS_FILE)
        for place in FOLDERS:
            names.extend(_names(folder, place, ".json", problems))
        names.extend(_names(folder, NODES, ".py", problems))
        for name in names:
            text = _text_of(folder, name, problems)
            if text is not None:
                texts[name] = text
    return parse_project(texts, problems)


def read_nodes(folder: Path) -> tuple[NodeFile, ...]:
    """The files of nodes of a project's own, as they lie on disk. Raises
    ProjectError.
    """
    problems: list[Problem] = []
    texts = {
        name: _text_of(folder, name, problems)
        for name in _names(folder, NODES, ".py", problems)
    }
    if problems:
        raise ProjectError(problems)
    return tuple(
        NodeFile(name=Path(name).name, text=text or "")
        for name, text in texts.items()
    )


def _names(
    folder: Path, place: str, ending: str, problems: list[Problem]
) -> list[str]:
    """The files in a folder of the project, as paths within it."""
    try:
        return [f"{place}/{name}" for name in names_in(folder / place, ending)]
    except OSError as error:
        problems.append(
            Problem(
                place,
                "",
                f"cannot be read: {error.strerror}.",
                "Allow reading the folder.",
            )
        )
        return []


@contextmanager
def _as_project_error(folder: Path, what: str) -> Iterator[None]:
    """What goes wrong with the folder as a whole is a problem with a way out."""
    try:
        yield
    except BusyError:
        message = "another process is saving to this folder at this moment."
        raise ProjectError(
            [Problem(str(folder), "", message, "Try again when it is done.")]
        ) from None
    except OSError as error:
        where = str(error.filename or folder)
        raise ProjectError(
            [
                Problem(
                    where,
                    "",
                    f"{what}: {error.strerror or error}.",
                    "See to the folder.",
                )
            ]
        ) from error


def parse_project(
    texts: dict[str, str], unread: Iterable[Problem] = ()
) -> Project:
    """The project in these texts, as `document_texts` returns them. `unread`
    are problems found before. Raises ProjectError with every problem of every
    file.
    """
    problems = list(unread)
    cover: Cover | None = None
    events: EventList | None = None
    nodes: list[NodeFile] = []
    found: dict[str, list[Any]] = {place: [] for place in FOLDERS}
    for name, text in sorted(texts.items()):
        place, _, file = name.rpartition("/")
        if place == NODES:
            try:
                nodes.append(NodeFile(name=file, text=text))
            except ValidationError:
                remedy = (
                    "Give it a name of letters, digits, spaces, dots and dashes "
                    "that ends in .py."
                )
                problems.append(
                    Problem(
                        name,
                        "",
                        "is no file of nodes that can be read.",
                        remedy,
                    )
                )
            continue
        document, faults = _read_document(name, text)
        problems.extend(faults)
        if isinstance(document, Cover):
            cover = document
        elif isinstance(document, EventList):
            events = document
        elif document is not None:
            found[place].append(document)
    if problems or cover is None:
        raise ProjectError(
            problems or [Problem(COVER_FILE, "", "is missing.")]
        )
    return Project(
        cover=cover,
        behaviors=tuple(found["behaviors"]),
        blackboards=tuple(found["blackboards"]),
        stages=tuple(found["stages"]),
        scenarios=tuple(found["scenarios"]),
        event_list=events or EventList(),
        nodes=tuple(nodes),
    )


def document_texts(project: Project) -> dict[str, str]:
    """The project's files: path within the folder and text."""
    texts = {COVER_FILE: document_text(project.cover)}
    if project.event_list.events:
        texts[EVENTS_FILE] = document_text(project.event_list)
    for place in FOLDERS:
        for document in getattr(project, place):
            texts[f"{place}/{document.name}.json"] = document_text(document)
    for file in project.nodes:
        texts[f"{NODES}/{file.name}"] = file.text
    return texts


def document_text(document: Document) -> str:
    """A document as JSON text: fields in the order of their declaration,
    without defaults, small values on one line.

    The text is kept with the document, which is frozen: after an edit only
    what changed is written anew.
    """
    return _kept_text(document) + "\n"


def _kept_text(document: Document) -> str:
    kept = document.__dict__
    if TEXT not in kept:
        kept[TEXT] = _written(document)
    return str(kept[TEXT])


def _written(document: Document) -> str:
    if isinstance(document, Behavior) and document.rows:
        return _with_rows(document)
    text = document.model_dump_json(
        by_alias=True, exclude_defaults=True, indent=2
    )
    if isinstance(document, Cover):
        text = (
            f'{{\n  "format": {json.dumps(document.format)},'
            + text.removeprefix("{")
        )
    for wide, narrow in (
        (_POINT, r"[\1, \2]"),
        (_ONE_FIELD, r"{\1}"),
        (_SPREAD, r"{\1 \2}"),
    ):
        text = wide.sub(narrow, text)
    return text


def _with_rows(behavior: Behavior) -> str:
    """A behavior's text, of the texts of its rows, which are kept with them:
    most are as they were before an edit.
    """
    rows = ",\n".join(_kept_text(row) for row in behavior.rows).replace(
        "\n", "\n    "
    )
    before = _written(behavior.with_rows(())).removesuffix("\n}")
    return f'{before},\n  "rows": [\n    {rows}\n  ]\n}}'


def save_project(project: Project, folder: Path) -> None:
    """Write what differs from the files on disk, and remove documents that are
    gone: all of it, or nothing.

    Raises ProjectError, with the folder as it was.
    """
    texts = document_texts(project)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with locked(folder):
            finish_save(folder)
            written = {
                name: text
                for name, text in texts.items()
                if _differs(folder / name, text)
            }
            removed = [
                f"{place}/{name}"
                for place in FOLDERS
                for name in names_in(folder / place, ".json")
                if f"{place}/{name}" not in texts
            ]
            if EVENTS_FILE not in texts and (folder / EVENTS_FILE).exists():
                removed.append(EVENTS_FILE)
            save_files(folder, written, removed)
    except (OSError, UnicodeError, BusyError) as error:
        raise ProjectError([_not_saved(error, folder)]) from error


def _differs(path: Path, text: str) -> bool:
    """Whether a file is to be written. One of nodes that is there is left: it
    is written in another editor.
    """
    if path.parent.name == NODES:
        return not path.exists()
    try:
        return read_text(path) != text
    except (OSError, UnicodeDecodeError):
        return True


def _not_saved(error: Exception, folder: Path) -> Problem:
    if isinstance(error, BusyError):
        return Problem(
            str(folder),
            "",
            "another process is saving to this folder at this moment.",
            "Save again.",
        )
    where, why = (
        (error.filename, error.strerror)
        if isinstance(error, OSError)
        else ("", "")
    )
    remedy = "Your changes are kept here; make room or allow writing, or save to another folder."
    return Problem(
        str(where or folder),
        "",
        f"could not be written: {why or error}.",
        remedy,
    )


@lru_cache(maxsize=512)
def _read_document(
    name: str, text: str
) -> tuple[Any | None, tuple[Problem, ...]]:
    """The document in a file's text, or None, and its problems; (None, ()) for
    a file in no known place.

    Results are cached, since documents are frozen and most files are the same
    from one reading to the next.
    """
    place, _, file = name.rpartition("/")
    kinds: dict[str, type[Any]] = {COVER_FILE: Cover, EVENTS_FILE: EventList}
    kind = kinds.get(name) or FOLDERS.get(place)
    problems: list[Problem] = []
    if kind is None:
        return None, ()
    if place in FOLDERS:
        extra = {"name": Path(file).stem}
    else:
        extra = {}
    document = parsed_document(name, text, kind, problems, extra)
    return _with_outline(name, document, problems), tuple(problems)


def parsed_document(
    name: str,
    text: str,
    kind: type[_Document],
    problems: list[Problem],
    extra: Mapping[str, str] | None = None,
) -> _Document | None:
    """The document of a kind in a file's text, together with fields that do
    not stand in it; None with what is wrong added to `problems`.
    """
    data = _parsed(name, text, problems)
    if data is None:
        return None
    try:
        return kind.model_validate({**data, **(extra or {})})
    except ValidationError as error:
        problems.extend(explained(name, kind, data, error))
        return None


def _with_outline(
    name: str, document: Any, problems: list[Problem]
) -> Any | None:
    """The document, unless it is a behavior whose rows are no outline."""
    if isinstance(document, Behavior):
        faults = list(_outline_problems(name, document))
        problems.extend(faults)
        if faults:
            return None
        return document
    return document


def _where_to_look(folder: Path) -> str:
    """The way out for who has named a folder without a project."""
    if not folder.exists():
        return "There is no such folder."
    inside = sorted(
        each.parent.name for each in folder.glob(f"*/{COVER_FILE}")
    )
    if not inside:
        return "Is this the folder of a project?"
    return f"It is the folder of a project that is meant, such as {inside[0]}."


def _text_of(folder: Path, name: str, problems: list[Problem]) -> str | None:
    try:
        return read_text(folder / name)
    except FileNotFoundError:
        problems.append(
            Problem(
                name,
                "",
                f"is missing in {folder}.",
                _where_to_look(folder),
            )
        )
    except OSError as error:
        problems.append(
            Problem(name, "", f"cannot be read: {error.strerror}.")
        )
    except UnicodeDecodeError as error:
        problems.append(
            Problem(
                name,
                "",
                f"is not UTF-8 text (byte {error.start}).",
                "Restore it or save as UTF-8.",
            )
        )
    return None


def _parsed(
    name: str, text: str, problems: list[Problem]
) -> dict[str, Any] | None:
    try:
        data = read_json(text)
    except JsonError as error:
        problems.append(Problem(name, "", str(error), error.remedy))
        return None
    if isinstance(data, dict):
        return data
    problems.append(
        Problem(name, "", "holds no document: it should start with '{'.")
    )
    return None


def _outline_problems(name: str, behavior: Behavior) -> Iterator[Problem]:
    try:
        Outline.of([(row.id, row.under) for row in behavior.rows])
    except OutlineError as error:
        row = next(row for row in behavior.rows if row.id == error.row_id)
        yield Problem(
            name, f"{row.id} '{row.name}'", f"{error}.", row_id=row.id
        )
