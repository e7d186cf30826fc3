"""A project's own nodes as they are declared, read without running any of
them.

Reading looks at the decorator, the signature and the docstring of each node,
in which nothing but names of `umbrant.nodes` and plain values may stand. So
any project can be shown, edited, reviewed and explained without running code
of a stranger's. `umbrant.project_code` makes such nodes run; only what plays
may import it.
"""

import ast
import hashlib
import inspect
import json
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import umbrant.nodes
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import cause
from umbrant.catalog.kind import Catalog, DeclarationError, Kind
from umbrant.catalog.protocols import Unbound
from umbrant.catalog.python_text import parse_python
from umbrant.model.behaviors import NodeFile
from umbrant.model.documents import Project
from umbrant.model.folder import NODES
from umbrant.model.printable import printable
from umbrant.model.problems import Problem

DECLARERS = ("action", "condition", "sense")
LARGEST = 1_000_000
"""How many characters a file of nodes may have."""

_DEFINED = re.compile(r"^def (\w+)", re.MULTILINE)
_NAMES = {name: getattr(umbrant.nodes, name) for name in umbrant.nodes.__all__}
_PLAIN = {
    "str": str,
    "float": float,
    "bool": bool,
    "int": int,
    "True": True,
    "False": False,
    "None": None,
}


@dataclass(frozen=True)
class ProjectCatalog:
    """The catalog with a project's own nodes in it, and what is wrong with
    their files.
    """

    catalog: Catalog
    problems: tuple[Problem, ...]


def fingerprint(project: Project) -> str:
    """What stands for the content of a project's node files; empty if it has
    none.
    """
    if not project.nodes:
        return ""
    content = json.dumps([(file.name, file.text) for file in project.nodes])
    return hashlib.sha256(content.encode()).hexdigest()


def project_catalog(
    project: Project, base: Catalog = BUILTIN
) -> ProjectCatalog:
    """The catalog with what a project's own nodes declare. None of their code
    runs, and none of them can be run.
    """
    kinds = dict(base.kinds)
    problems: list[Problem] = []
    for file in project.nodes:
        path = f"{NODES}/{file.name}"
        found, faults = _read(file.text, path)
        problems.extend(faults)
        for kind in found:
            if kind.id in kinds:
                remedy = "Give its function another name."
                problems.append(
                    Problem(
                        path,
                        "",
                        f"`{kind.id}` is the name of another node.",
                        remedy,
                    )
                )
            else:
                kinds[kind.id] = kind
    return ProjectCatalog(Catalog(kinds), tuple(problems))


def problems_of_rows(
    project: Project, catalog: Catalog, problems: Iterable[Problem]
) -> Iterator[Problem]:
    """For each row whose node stands in a file that cannot be read or run,
    what is wrong with the file.
    """
    texts = {f"{NODES}/{file.name}": file.text for file in project.nodes}
    for problem in problems:
        found = _DEFINED.findall(texts.get(problem.file, ""))
        # A name that belongs to a kind from elsewhere is not this file's.
        names = {
            name
            for name in found
            if name not in catalog.kinds
            or catalog.kinds[name].own == problem.file
        }
        for behavior in project.behaviors:
            for row in behavior.rows:
                if row.kind in names:
                    yield Problem(
                        f"behaviors/{behavior.name}.json",
                        f"{behavior.outline.number[row.id]} {row.name}".strip(),
                        f"its node stands in {problem.file}, {problem.message}",
                        problem.remedy,
                        row.id,
                    )


@lru_cache(maxsize=64)
def _read(
    text: str, path: str
) -> tuple[tuple[Kind, ...], tuple[Problem, ...]]:
    """Read the declarations of a file without running any of it."""
    if len(text) > LARGEST:
        size = f"it has {len(text)} characters; {LARGEST} is the most."
        return (), (Problem(path, "", size, "Divide it into several files."),)
    try:
        tree = parse_python(text, path)
    except SyntaxError as error:
        where = f"line {error.lineno or 1}: {printable(error.msg)}."
        return (), (
            Problem(path, "", where, "Mend the Python at this place."),
        )
    except ValueError as error:
        return (), (
            Problem(
                path,
                "",
                f"it is no Python that can be read ({error}).",
                "Mend it.",
            ),
        )
    kinds, problems = [], []
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and any(
            _declares(each) for each in node.decorator_list
        ):
            found = _kind_of(node, path)
            if isinstance(found, Problem):
                problems.append(found)
            else:
                kinds.append(found)
    return tuple(kinds), tuple(problems)


def _kind_of(node: ast.FunctionDef, path: str) -> Kind | Problem:
    """The kind that a function declares, or why it cannot be read."""
    try:
        return replace(_declared(node), own=path, own_line=node.lineno)
    except DeclarationError as error:
        message = f"line {node.lineno}: {error}."
        return Problem(path, "", message, "Mend the declaration.")
    except (
        ValueError,
        TypeError,
        KeyError,
        AttributeError,
        RecursionError,
    ) as error:
        what = printable(str(error)) or type(error).__name__
        message = (
            f"line {node.lineno}: `{printable(node.name, 40)}` cannot be "
            f"read without running it ({what})."
        )
        remedy = "Write plain values and the types of umbrant.nodes there."
        return Problem(path, "", message, remedy)


def _declares(node: ast.expr) -> bool:
    return (
        isinstance(node, ast.Call)
        and isinstance(node.func, ast.Name)
        and node.func.id in DECLARERS
    )


def _declared(node: ast.FunctionDef) -> Kind:
    """The kind that a function declares, made from its head alone. Raises
    ValueError where code would have to run.
    """
    decorator = next(each for each in node.decorator_list if _declares(each))
    assert isinstance(decorator, ast.Call)  # noqa: S101  (looked at above)
    args = [_value(each) for each in decorator.args]
    named = {
        each.arg: _value(each.value) for each in decorator.keywords if each.arg
    }
    declare: Callable[..., Any] = _value(decorator.func)
    kind: Kind = declare(*args, **named)(_head(node))
    return replace(kind, run=_refuse)


def _head(node: ast.FunctionDef) -> Callable[..., Any]:
    """A function with the name, the parameters and the docstring of another,
    and nothing in it.
    """
    takes_time = any(
        isinstance(each, ast.Yield | ast.YieldFrom)
        for each in _own_nodes(node)
    )

    def runs_on(me: object) -> Iterator[None]:
        yield

    def at_once(me: object) -> None: ...

    made: Any = runs_on if takes_time else at_once
    made.__name__, made.__doc__ = node.name, ast.get_docstring(node)
    made.__signature__, made.__annotations__ = _signature(node)
    return made  # type: ignore[no-any-return]


def _own_nodes(node: ast.AST) -> Iterator[ast.AST]:
    """Yield the syntax nodes in a function, to any depth, but not those of
    functions inside.
    """
    waiting = [node]
    while waiting:
        for child in ast.iter_child_nodes(waiting.pop()):
            yield child
            if not isinstance(
                child, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda
            ):
                waiting.append(child)


def _signature(node: ast.FunctionDef) -> tuple[Any, dict[str, Any]]:
    params, hints = [], {}
    spec = node.args
    positional = [*spec.posonlyargs, *spec.args]
    defaults: list[ast.expr | None] = [None] * (
        len(positional) - len(spec.defaults)
    ) + list(spec.defaults)
    kinds = inspect.Parameter
    for arg, default in [
        *zip(positional, defaults, strict=True),
        *zip(spec.kwonlyargs, spec.kw_defaults, strict=True),
    ]:
        if default is None:
            value = kinds.empty
        else:
            value = _value(default)
        how = (
            kinds.KEYWORD_ONLY
            if arg in spec.kwonlyargs
            else kinds.POSITIONAL_OR_KEYWORD
        )
        params.append(kinds(arg.arg, how, default=value))
        if arg.annotation is not None:
            hints[arg.arg] = _type(arg.annotation)
    return inspect.Signature(params), hints


def _type(node: ast.expr) -> Any:
    """The type that an annotation names, which may be written in quotes.
    Raises ValueError on anything else.

    No text may be left as a type: whoever resolves it would run it.
    """
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        text = node.value
        try:
            node = ast.parse(text.strip(), mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
            raise ValueError(f"its type is the text {text[:40]!r}") from error
    found = _value(node)
    if isinstance(found, str):
        # Callers tell of it as of any value.
        raise ValueError(f"its type is the text {found[:40]!r}")  # noqa: TRY004
    return found


def _value(node: ast.expr) -> Any:
    """What a name or a plain value stands for. Raises ValueError on anything
    else: it would have to be run.
    """
    match node:
        case ast.Constant(value=value):
            return value
        case ast.UnaryOp(
            op=ast.USub(),
            operand=ast.Constant(value=int() | float() as number),
        ):
            return -number
        case ast.Name(id=name) if name in _NAMES or name in _PLAIN:
            return _NAMES.get(name, _PLAIN.get(name))
        case ast.Attribute(value=ast.Name(id="KeyType"), attr=attr):
            return getattr(umbrant.nodes.KeyType, attr)
        case ast.Subscript(value=ast.Name(id="Literal"), slice=inner):
            if isinstance(inner, ast.Tuple):
                choices = inner.elts
            else:
                choices = [inner]
            return umbrant.nodes.Literal[
                tuple(_value(each) for each in choices)
            ]
    raise ValueError(f"it holds {ast.unparse(node)[:40]}")


def _refuse(*args: object, **named: object) -> None:
    raise Unbound(cause("not_trusted"))


def names_of(files: Iterable[NodeFile]) -> str:
    """The files as they are read in a question: `nodes/smell.py and
    nodes/ring.py`.
    """
    return " and ".join(f"{NODES}/{file.name}" for file in files)
