"""Projects that would run code of their own without being trusted: each leaves
a mark if it succeeds.

They are read, validated, reviewed, played and explained, by functions here,
and by the commands and the window as a user starts them, in the project's own
folder.
"""

import os
import py_compile
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from benchmarks.fuzz.nodes import Conversation
from benchmarks.fuzz.tally import Tally
from umbrant.catalog.schema import project_schema
from umbrant.catalog.validation import validate
from umbrant.model.folder import document_texts, read_project, save_project
from umbrant.model.problems import ProjectError
from umbrant.project_nodes import project_catalog
from umbrant.reasons.why import Explainer
from umbrant.review import review
from umbrant.rolling.roll import RollOrder
from umbrant.take.reader import read_take

HUM = 'from umbrant.nodes import *\n\n@action("hum")\ndef hum(me: Agent):\n    """Hums."""\n    return True\n'

STANDARD = [
    "json",
    "random",
    "sqlite3",
    "typing",
    "ast",
    "numpy",
    "msgpack",
    "pydantic",
    "shapely",
    "typer",
    "rich",
    "umbrant",
    "sitecustomize",
    "usercustomize",
    "mmap",
    "ctypes",
    "signal",
    "select",
    "selectors",
    "tempfile",
    "resource",
    "faulthandler",
    "rapidfuzz",
    "platformdirs",
    "PySide6",
    "dataclasses",
    "enum",
    "logging",
]
"""Names of modules that a file in a project's folder may have."""


WINDOW = """
import os, pathlib, threading
from umbrant.desk import app
from umbrant.desk.widgets.dialogs import Dialogs

Dialogs.trust = lambda self, files: False
Dialogs.problems = Dialogs.message = lambda *_: None
threading.Timer(3.0, os._exit, (0,)).start()
app.run_desk(pathlib.Path("."))
"""
"""A window on the project in the current folder, whose user does not trust it,
for three seconds.
"""


@dataclass(frozen=True)
class Trap:
    """One way to have code run. `lay` puts it into a project's folder, given
    the code that leaves the mark.
    """

    name: str
    lay: Callable[[Path, str], None]


def _node(
    before: str = "",
    phrase: str = '"hum"',
    params: str = "",
    extra: str = "",
    doc: str = "Hums.",
    tail: str = "",
) -> str:
    head = f"me: Agent{', ' + params if params else ''}"
    return (
        f"from umbrant.nodes import *\n{before}\n\n@action({phrase})\n{extra}def hum({head}):\n"
        f'    """{doc}\n\n    x: how\n    """\n    return True\n{tail}\n'
    )


def _in_nodes(make: Callable[[str], str]) -> Callable[[Path, str], None]:
    def lay(folder: Path, code: str) -> None:
        (folder / "nodes" / "mine.py").write_text(make(code), encoding="utf-8")

    return lay


def _param(
    annotation: Callable[[str], str],
    phrase: str = '"hum {x}"',
    default: str = " = 1",
) -> Callable[[Path, str], None]:
    return _in_nodes(
        lambda code: _node(
            phrase=phrase, params=f"*, x: {annotation(code)}{default}"
        )
    )


def _file(
    name: str, make: Callable[[str], str] = lambda code: code
) -> Callable[[Path, str], None]:
    def lay(folder: Path, code: str) -> None:
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(make(code), encoding="utf-8")

    return lay


def _in_guard(make: Callable[[str], str]) -> Callable[[Path, str], None]:
    def lay(folder: Path, code: str) -> None:
        import json

        path = folder / "behaviors" / "b.json"
        data = json.loads(path.read_text())
        data["rows"][0]["guard"] = {"when": make(code)}
        path.write_text(json.dumps(data))

    return lay


def _compiled(folder: Path, code: str) -> None:
    source = folder / "mine_source.py"
    source.write_text(code)
    target = (
        folder
        / "nodes"
        / "__pycache__"
        / f"mine.{sys.implementation.cache_tag}.pyc"
    )
    py_compile.compile(str(source), str(target))
    shutil.copy(target, folder / "nodes" / "mine.pyc")
    source.unlink()


def _linked(folder: Path, code: str) -> None:
    elsewhere = folder.parent / "elsewhere.py"
    elsewhere.write_text(HUM + code)
    (folder / "nodes" / "mine.py").symlink_to(elsewhere)


def expression(code: str) -> str:
    """The code as one expression."""
    return f"exec({code!r})"


def traps() -> Iterator[Trap]:
    """All ways."""
    yield Trap("code at the top", _in_nodes(lambda c: HUM + c))
    yield from _in_annotations()
    yield from _in_declarations()
    yield from _in_files()
    yield from _in_guards()


def _in_annotations() -> Iterator[Trap]:
    """In the types and defaults of a node's parameters, and in what it
    returns.
    """
    e = expression
    for name, annotation in {
        "a call": e,
        "text": lambda c: repr(e(c)),
        "text in text": lambda c: repr(repr(e(c))),
        "a subscript": lambda c: f"list[{e(c)}]",
        "Literal of a call": lambda c: f"Literal[{e(c)}]",
        "Literal of text": lambda c: f"Literal[{e(c)!r}]",
        "Literal of text with a call": lambda c: repr(f"Literal['x', {e(c)}]"),
        "a union": lambda c: f"Metres | {e(c)}",
        "text with a union": lambda c: repr(f"Metres | {e(c)}"),
        "a conditional": lambda c: f"Metres if {e(c)} else Metres",
        "text with a conditional": lambda c: repr(
            f"Metres if {e(c)} else Metres"
        ),
        "an f-string": lambda c: f'f"{{{e(c)}}}"',
        "a lambda": lambda c: f"(lambda: {e(c)})()",
        "a comprehension": lambda c: f"[{e(c)} for _ in (0,)]",
        "text with a comprehension": lambda c: repr(f"[{e(c)} for _ in (0,)]"),
        "a walrus": lambda c: f"(y := {e(c)})",
        "an attribute": lambda c: f"({e(c)}).real",
        "KeyType by a call": lambda c: f"KeyType({e(c)})",
        "text with an attribute": lambda c: repr(f"KeyType.{e(c)}"),
        "Annotated": lambda c: f"Annotated[float, {e(c)}]",
        "text with a generator": lambda c: repr(f"(x for x in [{e(c)}])"),
        "text that starts with a space": lambda c: repr(f"  {e(c)}"),
        "text with a yield": lambda c: repr(f"(yield {e(c)})"),
        "a dictionary": lambda c: f"{{1: {e(c)}}}[1]",
        "a starred one": lambda c: f"Literal[*[{e(c)}]]",
        "bytes": lambda c: repr(e(c).encode()),
    }.items():
        yield Trap(f"an annotation: {name}", _param(annotation))
    for name, default in {
        "a call": e,
        "an f-string": lambda c: f'f"{{{e(c)}}}"',
        "a lambda": lambda c: f"(lambda: {e(c)})()",
    }.items():
        yield Trap(
            f"a default: {name}",
            _in_nodes(
                lambda c, default=default: _node(
                    phrase='"hum {x}"', params=f"*, x: Metres = {default(c)}"
                )
            ),  # type: ignore[misc]
        )
    yield Trap(
        "a forward reference",
        _in_nodes(
            lambda c: _node(
                phrase='"hum {x}"',
                params="*, x: 'Mine' = 1",
                before=f"Mine = {e(c)}",
            )
        ),
    )
    yield Trap(
        "what it returns",
        _in_nodes(
            lambda c: _node().replace(
                "(me: Agent):", f"(me: Agent) -> {e(c)}:"
            )
        ),
    )
    yield Trap(
        "text of what it returns",
        _in_nodes(
            lambda c: _node().replace(
                "(me: Agent):", f"(me: Agent) -> {e(c)!r}:"
            )
        ),
    )
    yield Trap(
        "what me is",
        _in_nodes(lambda c: _node().replace("me: Agent", f"me: {e(c)!r}")),
    )


def _in_declarations() -> Iterator[Trap]:
    """In a node's decorators, its phrase and its help, and in what stands
    beside it.
    """
    e = expression
    yield Trap("the phrase", _in_nodes(lambda c: _node(phrase=e(c))))
    yield Trap(
        "an f-string as the phrase",
        _in_nodes(lambda c: _node(phrase=f'f"{{{e(c)}}}"')),
    )
    yield Trap(
        "an argument of the decorator",
        _in_nodes(lambda c: _node(phrase=f'"hum", success={e(c)}')),
    )
    yield Trap(
        "unpacked arguments of the decorator",
        _in_nodes(lambda c: _node(phrase=f'"hum", **{e(c)}')),
    )
    yield Trap(
        "a starred argument of the decorator",
        _in_nodes(lambda c: _node(phrase=f"*[{e(c)}]")),
    )
    yield Trap(
        "a second decorator",
        _in_nodes(lambda c: _node(extra=f"@({e(c)} or (lambda f: f))\n")),
    )
    yield Trap(
        "a decorator that is an attribute",
        _in_nodes(lambda c: _node(extra=f"@(lambda f: {e(c)}).__call__\n")),
    )
    yield Trap(
        "a class", _in_nodes(lambda c: _node(tail=f"class Body:\n    {c}"))
    )
    yield Trap(
        "a metaclass",
        _in_nodes(
            lambda c: _node(
                tail=f"class Body(metaclass=lambda *a: {e(c)}): pass"
            )
        ),
    )
    yield Trap(
        "the docstring",
        _in_nodes(lambda c: _node(doc=f"{{{e(c)}}}").replace("'", "\\'")),
    )
    yield Trap(
        "a sense's in_line",
        _in_nodes(
            lambda c: (
                f'from umbrant.nodes import *\n@sense("hm", gives=KeyType.YES_NO, in_line={e(c)!r})\ndef hm(me: Agent) -> bool:\n    """Hm."""\n    return True\n'
            )
        ),
    )
    yield Trap(
        "what a sense gives",
        _in_nodes(
            lambda c: (
                f'from umbrant.nodes import *\n@sense("hm", gives={e(c)})\ndef hm(me: Agent):\n    """Hm."""\n    return True\n'
            )
        ),
    )


def _in_files() -> Iterator[Trap]:
    """In how a file is written, and in files of other names."""
    e = expression
    yield Trap(
        "a coding that runs code",
        _in_nodes(
            lambda c: f"# -*- coding: unicode_escape -*-\n# \\u000a{c}\n{HUM}"
        ),
    )
    yield Trap(
        "half a character",
        _in_nodes(
            lambda c: f"x: {e(c)!r} = 1\n" + HUM.replace("Hums", "\\ud800")
        ),
    )
    yield Trap(
        "a module's annotation",
        _in_nodes(lambda c: f"x: {e(c)!r} = 1\n" + HUM),
    )
    yield Trap("__init__ in nodes", _file("nodes/__init__.py"))
    yield Trap("__main__ in nodes", _file("nodes/__main__.py"))
    yield Trap("compiled files", _compiled)
    yield Trap("a link", _linked)
    yield Trap("conftest.py", _file("conftest.py"))
    yield Trap("setup.py", _file("setup.py"))
    yield Trap(
        "a .pth file", _file("nodes/mine.pth", lambda c: f"import os; {e(c)}")
    )
    yield Trap("a folder called umbrant", _file("umbrant/__init__.py"))
    for name in STANDARD:
        yield Trap(f"{name}.py in the folder", _file(f"{name}.py"))
        yield Trap(f"{name}.py among the nodes", _file(f"nodes/{name}.py"))


def _in_guards() -> Iterator[Trap]:
    """In conditions."""
    e = expression
    for name, make in {
        "a call": e,
        "an attribute": lambda c: (
            f"().__class__.__base__.__subclasses__() and {e(c)}"
        ),
        "an f-string": lambda c: f'f"{{{e(c)}}}" == "x"',
        "a lambda": lambda c: f"(lambda: {e(c)})()",
        "a comprehension": lambda c: f"[{e(c)} for _ in (0,)]",
        "a format": lambda c: "'{0.__class__}'.format(1) == 'x'",
        "an import": lambda c: f"__import__('builtins').{e(c)}",
        "a sense's name": lambda c: f"distance({e(c)}) < 3",
        "text": lambda c: f"name == {e(c)!r}",
        "a walrus": lambda c: f"(x := {e(c)})",
        "a second line": lambda c: f"True\n{c}",
    }.items():
        yield Trap(f"a guard: {name}", _in_guard(make))


def lay(trap: Trap, folder: Path) -> tuple[Path, Path]:
    """Make a project with a trap in it; gives its folder, and the mark that is
    left if it works.
    """
    from benchmarks.fuzz.hostile_nodes import HostileNode
    from benchmarks.fuzz.nodes import project_with

    place, mark = folder / "project", folder / "ran"
    shutil.rmtree(folder, ignore_errors=True)
    save_project(project_with(HostileNode("none", HUM)), place)
    (place / "nodes" / "bad.py").unlink()
    trap.lay(place, f"open({str(mark)!r}, 'w').close()")
    return place, mark


def attack(folder: Path, tally: Tally, *, by_commands: bool = False) -> Tally:
    """Try each way with all that reads a project; with `by_commands` as a user
    starts it, too.
    """
    with Conversation(folder) as supervisor:

        def attempt(trap: Trap) -> str:
            place, mark = lay(trap, folder / "trap")
            _read(place, folder / "t.take", supervisor)
            if by_commands:
                _start(place, folder / "t.take")
            return "it ran" if mark.exists() else ""

        return tally.each(((trap.name, trap) for trap in traps()), attempt)


def _read(place: Path, path: Path, supervisor: Conversation) -> None:
    try:
        project = read_project(place)
    except ProjectError:
        return
    own = project_catalog(project)
    problems = [*validate(project, own.catalog), *own.problems]
    if not any(not each.row_id for each in problems):
        review(project, own.catalog)
    project_schema(own.catalog)
    document_texts(project)
    reply = supervisor.roll(RollOrder(project, "s", path))
    if reply.take is not None:
        explainer = Explainer(read_take(path), "warden")
        explainer.why(0)


def _start(place: Path, path: Path) -> None:
    umbrant = Path(sys.executable).parent / "umbrant"
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    for arguments in (
        ["roll", ".", "--out", str(path)],
        ["review", "."],
        [".", "--headless"],
        ["show", str(path), "--agent", "warden", "--at", "0"],
        ["why", str(path), "--agent", "warden", "--at", "0"],
        ["export", str(path)],
        ["nodes"],
        ["schema"],
    ):
        subprocess.run(
            [umbrant, *arguments],
            cwd=place,
            env=environment,
            capture_output=True,
            timeout=120,
        )
    subprocess.run(
        [sys.executable, "-P", "-c", WINDOW],
        cwd=place,
        env=environment,
        capture_output=True,
        timeout=120,
    )
