"""A project as a folder of JSON files: read with every problem gathered, saved so that nothing is ever half written."""

import json
import os
import re
import tempfile
from collections.abc import Iterable, Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from umbrant.model.behaviors import Behavior, Blackboard, EventList, NodeFile
from umbrant.model.documents import Cover, Project
from umbrant.model.outline import Outline, OutlineError
from umbrant.model.problems import Problem, ProjectError
from umbrant.model.staging import Scenario, Stage
from umbrant.model.values import Document

COVER_FILE, EVENTS_FILE, NODES = "project.json", "events.json", "nodes"

FOLDERS: dict[str, type[Behavior] | type[Blackboard] | type[Stage] | type[Scenario]] = {
    "behaviors": Behavior,
    "blackboards": Blackboard,
    "stages": Stage,
    "scenarios": Scenario,
}
"""Each folder of a project and the kind of document its files hold; also the names of Project's fields."""

TEXT = "_text"
"""Where a document keeps its text, beside its fields."""

_POINT = re.compile(r"\[\n\s+(-?[\d.eE+-]+),\n\s+(-?[\d.eE+-]+)\n\s+\]")
_ONE_FIELD = re.compile(r'\{\n\s+("\w+": (?:"[^"\n]*"|-?[\d.eE+-]+))\n\s+\}')
_SPREAD = re.compile(r'\{\n\s+("mid": [^\n]+,)\n\s+("give": [^\n]+)\n\s+\}')


def read_project(folder: Path) -> Project:
    """Read a project's files. Raises ProjectError with every problem of every file; names in it are not checked."""
    problems: list[Problem] = []
    texts: dict[str, str] = {}
    names = [
        COVER_FILE,
        *([EVENTS_FILE] if (folder / EVENTS_FILE).exists() else []),
        *(f"{place}/{path.name}" for place in FOLDERS for path in sorted((folder / place).glob("*.json"))),
        *(f"{NODES}/{path.name}" for path in sorted((folder / NODES).glob("*.py"))),
    ]
    for name in names:
        text = _text_of(folder, name, problems)
        if text is not None:
            texts[name] = text
    return parse_project(texts, problems)


def read_nodes(folder: Path) -> tuple[NodeFile, ...]:
    """The files of nodes of a project's own, as they lie on disk. Raises ProjectError."""
    problems: list[Problem] = []
    names = [f"{NODES}/{path.name}" for path in sorted((folder / NODES).glob("*.py"))]
    texts = {name: _text_of(folder, name, problems) for name in names}
    if problems:
        raise ProjectError(problems)
    return tuple(NodeFile(name=Path(name).name, text=text or "") for name, text in texts.items())


def parse_project(texts: dict[str, str], unread: Iterable[Problem] = ()) -> Project:
    """The project in these files' texts, which `document_texts` gives. `unread` are problems met on the way here.

    Raises ProjectError with every problem of every file.
    """
    problems = list(unread)
    cover: Cover | None = None
    events: EventList | None = None
    nodes: list[NodeFile] = []
    found: dict[str, list[Any]] = {place: [] for place in FOLDERS}
    for name, text in texts.items():
        place, _, file = name.rpartition("/")
        if place == NODES:
            nodes.append(NodeFile(name=file, text=text))
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
        raise ProjectError(problems or [Problem(COVER_FILE, "", "is missing.")])
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
    """A document as JSON text: fields in the order of their declaration, without defaults, small values on one line.

    Kept with the document, which never changes: of a project only what was edited is written anew.
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
    text = document.model_dump_json(by_alias=True, exclude_defaults=True, indent=2)
    if isinstance(document, Cover):
        text = f'{{\n  "format": {json.dumps(document.format)},' + text.removeprefix("{")
    for wide, narrow in ((_POINT, r"[\1, \2]"), (_ONE_FIELD, r"{\1}"), (_SPREAD, r"{\1 \2}")):
        text = wide.sub(narrow, text)
    return text


def _with_rows(behavior: Behavior) -> str:
    """A behavior's text, of the texts of its rows, which are kept with them: most are as they were before an edit."""
    rows = ",\n".join(_kept_text(row) for row in behavior.rows).replace("\n", "\n    ")
    before = _written(behavior.with_rows(())).removesuffix("\n}")
    return f'{before},\n  "rows": [\n    {rows}\n  ]\n}}'


def save_project(project: Project, folder: Path) -> None:
    """Write what differs from the files on disk, each file whole or not at all, and remove documents that are gone.

    Raises ProjectError, with the folder as it was or with some files new and none half written.
    """
    texts = document_texts(project)
    try:
        for name, text in texts.items():
            _put(folder / name, text, keep=name.startswith(f"{NODES}/"))
        for place in FOLDERS:
            for path in sorted((folder / place).glob("*.json")):
                if f"{place}/{path.name}" not in texts:
                    path.unlink()
        if EVENTS_FILE not in texts:
            (folder / EVENTS_FILE).unlink(missing_ok=True)
    except OSError as error:
        where = error.filename or folder
        raise ProjectError(
            [
                Problem(
                    str(where),
                    "",
                    f"could not be written: {error.strerror or error}.",
                    "Your changes are kept here; make room or allow writing, or save to another folder.",
                )
            ]
        ) from error


def _put(path: Path, text: str, *, keep: bool) -> None:
    """Write a file that is not there yet or differs. `keep` leaves one that is there: it is written elsewhere."""
    if not path.exists() or (not keep and path.read_text(encoding="utf-8") != text):
        write_whole(path, text)


def write_whole(path: Path, text: str) -> None:
    """Put `text` at `path` in one step: a reader, or a crash, sees the old file or the new one. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".part")
    try:
        with os.fdopen(handle, "w", encoding="utf-8", newline="\n") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o644
        os.chmod(temporary, mode)
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


@lru_cache(maxsize=512)
def _read_document(name: str, text: str) -> tuple[Any | None, tuple[Problem, ...]]:
    """The document in a file's text, or None, and what is wrong with it; (None, ()) for a file of no known place.

    Kept, for documents never change, and of a project that is read again and again nearly all are the same.
    """
    place, _, file = name.rpartition("/")
    kinds: dict[str, type[Any]] = {COVER_FILE: Cover, EVENTS_FILE: EventList}
    kind = kinds.get(name) or FOLDERS.get(place)
    problems: list[Problem] = []
    if kind is None:
        return None, ()
    extra = {"name": Path(file).stem} if place in FOLDERS else {}
    return _document(name, text, kind, extra, problems), tuple(problems)


def _document(name: str, text: str, kind: type[Any], extra: dict[str, str], problems: list[Problem]) -> Any | None:
    """The document in a file's text, or None with what is wrong added to `problems`."""
    data = _parsed(name, text, problems)
    if data is None:
        return None
    try:
        document = kind.model_validate({**data, **extra})
    except ValidationError as error:
        problems.extend(_explained(name, data, error))
        return None
    if isinstance(document, Behavior):
        faults = list(_outline_problems(name, document))
        problems.extend(faults)
        return None if faults else document
    return document


def _text_of(folder: Path, name: str, problems: list[Problem]) -> str | None:
    try:
        return (folder / name).read_text(encoding="utf-8")
    except FileNotFoundError:
        problems.append(Problem(name, "", f"is missing in {folder}.", "Is this the folder of a project?"))
    except OSError as error:
        problems.append(Problem(name, "", f"cannot be read: {error.strerror}."))
    except UnicodeDecodeError as error:
        problems.append(Problem(name, "", f"is not UTF-8 text (byte {error.start}).", "Restore it or save as UTF-8."))
    return None


def _parsed(name: str, text: str, problems: list[Problem]) -> dict[str, Any] | None:
    try:
        data = json.loads(text)
    except RecursionError:
        problems.append(Problem(name, "", "is nested too deeply to be a document of a project.", "Restore it."))
    except json.JSONDecodeError as error:
        open_string = error.msg.startswith("Unterminated string") and "\n" not in error.doc[error.pos :].rstrip()
        cut = open_string or error.pos >= len(error.doc.rstrip())
        remedy = "The file ends too early; restore the rest of it." if cut else "Mend the JSON at this place."
        place = f"line {error.lineno}, column {error.colno}"
        problems.append(Problem(name, "", f"{place}: {error.msg[:1].lower()}{error.msg[1:]}.", remedy))
    else:
        if isinstance(data, dict):
            return data
        problems.append(Problem(name, "", "holds no document: it should start with '{'."))
    return None


def _explained(name: str, data: dict[str, Any], error: ValidationError) -> Iterator[Problem]:
    """Each fault pydantic found, with the row it is in. A union's many complaints count as one."""
    told: set[tuple[str, str]] = set()
    for fault in error.errors(include_url=False):
        steps = [str(step) for step in fault["loc"]]
        row, inside = "", steps
        if len(steps) > 1 and steps[0] == "rows" and steps[1].isdigit():
            raw = data["rows"][int(steps[1])]
            label = f"{raw.get('id', '?')} '{raw.get('name', '')}'" if isinstance(raw, dict) else ""
            row, inside = label or f"number {int(steps[1]) + 1} in the file", steps[2:]
        field = ".".join(inside[:2] if "with" in inside[:1] else inside)
        if (row, field) in told:
            continue
        told.add((row, field))
        given = "" if fault["type"] == "missing" else f" (it is {json.dumps(fault['input'], default=str)[:60]})"
        yield Problem(name, row, f"`{field}`: {_plain(fault['type'], fault['msg'])}{given}.")


def _plain(kind: str, message: str) -> str:
    """Pydantic's message in the words of this program."""
    plain = {
        "missing": "is needed and missing",
        "extra_forbidden": "is no field of this document; remove it or mend its name",
        "string_type": "should be text",
        "tuple_type": "should be a list",
        "float_type": "should be a number",
        "model_type": "should be an object in {}",
    }
    return plain.get(kind, message[:1].lower() + message[1:])


def _outline_problems(name: str, behavior: Behavior) -> Iterator[Problem]:
    try:
        Outline.of([(row.id, row.under) for row in behavior.rows])
    except OutlineError as error:
        row = next(row for row in behavior.rows if row.id == error.row_id)
        yield Problem(name, f"{row.id} '{row.name}'", f"{error}.", row_id=row.id)
