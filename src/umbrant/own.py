"""A project's own nodes: read without running them, or, once the project is trusted, run and declared for good.

Reading looks at the declarations only: the decorator, the signature and the docstring of each node, in which nothing
but names of `umbrant.nodes` and plain values may stand. So an untrusted project can be shown, edited and explained.
"""

import ast
import hashlib
import inspect
import traceback
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from types import ModuleType
from typing import Any

import umbrant.nodes
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import cause
from umbrant.catalog.declare import Catalog, Kind
from umbrant.catalog.work import Unbound
from umbrant.engine.guarded import Hung, at_most
from umbrant.model.behaviors import NodeFile
from umbrant.model.documents import Project
from umbrant.model.folder import NODES
from umbrant.model.problems import Problem

DECLARERS = ("action", "condition", "sense")
_NAMES = {name: getattr(umbrant.nodes, name) for name in umbrant.nodes.__all__}
_PLAIN = {"str": str, "float": float, "bool": bool, "int": int, "True": True, "False": False, "None": None}


@dataclass(frozen=True)
class OwnCatalog:
    """The catalog with a project's own nodes in it, and what is wrong with their files."""

    catalog: Catalog
    problems: tuple[Problem, ...]
    trusted: bool


def fingerprint(project: Project) -> str:
    """What stands for the content of a project's node files; empty if it has none."""
    if not project.nodes:
        return ""
    content = "\0".join(f"{file.name}\0{file.text}" for file in project.nodes)
    return hashlib.sha256(content.encode()).hexdigest()


def own_catalog(project: Project, *, trusted: bool, base: Catalog = BUILTIN) -> OwnCatalog:
    """The catalog for a project. Its code runs only if it is trusted; else its nodes are known and refuse to run."""
    kinds = dict(base.kinds)
    problems: list[Problem] = []
    for file in project.nodes:
        path = f"{NODES}/{file.name}"
        found, faults = _run(file, path, project.cover.node_limit_s) if trusted else _read(file, path)
        problems.extend(faults)
        for kind in found:
            if kind.id in kinds:
                remedy = "Give its function another name."
                problems.append(Problem(path, "", f"`{kind.id}` is the name of another node.", remedy))
            else:
                kinds[kind.id] = replace(kind, own=path)
    return OwnCatalog(Catalog(kinds), tuple(problems), trusted)


def _run(file: NodeFile, path: str, limit_s: float) -> tuple[list[Kind], list[Problem]]:
    """Run a file, and gather what it declares."""
    module = ModuleType(f"nodes.{file.name.removesuffix('.py')}")
    module.__file__ = path
    try:
        with at_most(limit_s):
            exec(compile(file.text, path, "exec"), module.__dict__)  # noqa: S102  (its user has trusted it)
    except Hung:
        return [], [Problem(path, "", f"it did not come back within {limit_s:g} s.", "Look for an endless loop.")]
    except SyntaxError as error:
        return [], [Problem(path, "", f"line {error.lineno}: {error.msg}.", "Mend the Python at this place.")]
    except Exception as error:
        lines = [step.lineno for step in traceback.extract_tb(error.__traceback__) if step.filename == path]
        where = f"line {lines[-1]}: " if lines else ""
        return [], [Problem(path, "", f"{where}{type(error).__name__}: {error}.", "Mend it, and roll again.")]
    return [kind for kind in vars(module).values() if isinstance(kind, Kind) and _is_of(kind, module)], []


def _is_of(kind: Kind, module: ModuleType) -> bool:
    return getattr(kind.run, "__module__", "") == module.__name__


def _read(file: NodeFile, path: str) -> tuple[list[Kind], list[Problem]]:
    """Read the declarations of a file without running any of it."""
    try:
        tree = ast.parse(file.text, path)
    except (SyntaxError, ValueError, RecursionError) as error:
        line = getattr(error, "lineno", None)
        return [], [Problem(path, "", f"line {line or 1}: it is no Python that can be read.", "Mend it.")]
    kinds, problems = [], []
    for node in tree.body:
        if isinstance(node, ast.FunctionDef) and any(_declares(each) for each in node.decorator_list):
            try:
                kinds.append(_declared(node))
            except (ValueError, TypeError, KeyError, AttributeError) as error:
                message = f"line {node.lineno}: `{node.name}` cannot be read without running it ({error})."
                problems.append(Problem(path, "", message, "Trust the project, or write plain values there."))
    return kinds, problems


def _declares(node: ast.expr) -> bool:
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in DECLARERS


def _declared(node: ast.FunctionDef) -> Kind:
    """The kind that a function declares, made from its head alone. Raises ValueError where code would have to run."""
    decorator = next(each for each in node.decorator_list if _declares(each))
    assert isinstance(decorator, ast.Call)  # noqa: S101  (looked at above)
    args = [_value(each) for each in decorator.args]
    named = {each.arg: _value(each.value) for each in decorator.keywords if each.arg}
    declare: Callable[..., Any] = _value(decorator.func)
    kind: Kind = declare(*args, **named)(_head(node))
    return replace(kind, run=_refuse)


def _head(node: ast.FunctionDef) -> Callable[..., Any]:
    """A function with the name, the parameters and the docstring of another, and nothing in it."""
    takes_time = any(isinstance(each, ast.Yield | ast.YieldFrom) for each in _own_nodes(node))

    def runs_on(me: object) -> Iterator[None]:
        yield

    def at_once(me: object) -> None: ...

    made: Any = runs_on if takes_time else at_once
    made.__name__, made.__doc__ = node.name, ast.get_docstring(node)
    made.__signature__, made.__annotations__ = _signature(node)
    return made  # type: ignore[no-any-return]


def _own_nodes(node: ast.AST) -> Iterator[ast.AST]:
    """What stands in a function, without what stands in functions inside it."""
    for child in ast.iter_child_nodes(node):
        yield child
        if not isinstance(child, ast.FunctionDef | ast.AsyncFunctionDef | ast.Lambda):
            yield from _own_nodes(child)


def _signature(node: ast.FunctionDef) -> tuple[Any, dict[str, Any]]:
    params, hints = [], {}
    spec = node.args
    positional = [*spec.posonlyargs, *spec.args]
    defaults: list[ast.expr | None] = [None] * (len(positional) - len(spec.defaults)) + list(spec.defaults)
    kinds = inspect.Parameter
    for arg, default in [*zip(positional, defaults, strict=True), *zip(spec.kwonlyargs, spec.kw_defaults, strict=True)]:
        value = kinds.empty if default is None else _value(default)
        how = kinds.KEYWORD_ONLY if arg in spec.kwonlyargs else kinds.POSITIONAL_OR_KEYWORD
        params.append(kinds(arg.arg, how, default=value))
        if arg.annotation is not None:
            hints[arg.arg] = _type(arg.annotation)
    return inspect.Signature(params), hints


def _type(node: ast.expr) -> Any:
    """The type that an annotation names, which may be written in quotes. Raises ValueError on anything else.

    No text may be left as a type: whoever resolves it would run it.
    """
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        text = node.value
        try:
            node = ast.parse(text.strip(), mode="eval").body
        except (SyntaxError, RecursionError, MemoryError) as error:
            raise ValueError(f"its type is the text {text[:40]!r}") from error
    found = _value(node)
    if isinstance(found, str):
        raise ValueError(f"its type is the text {found[:40]!r}")  # noqa: TRY004  (callers tell of it as of any value)
    return found


def _value(node: ast.expr) -> Any:
    """What a name or a plain value stands for. Raises ValueError on anything else: it would have to be run."""
    match node:
        case ast.Constant(value=value):
            return value
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=int() | float() as number)):
            return -number
        case ast.Name(id=name) if name in _NAMES or name in _PLAIN:
            return _NAMES.get(name, _PLAIN.get(name))
        case ast.Attribute(value=ast.Name(id="KeyType"), attr=attr):
            return getattr(umbrant.nodes.KeyType, attr)
        case ast.Subscript(value=ast.Name(id="Literal"), slice=inner):
            choices = inner.elts if isinstance(inner, ast.Tuple) else [inner]
            return umbrant.nodes.Literal[tuple(_value(each) for each in choices)]
    raise ValueError(f"it holds {ast.unparse(node)[:40]}")


def _refuse(*args: object, **named: object) -> None:
    raise Unbound(cause("not_trusted"))


def names_of(files: Iterable[NodeFile]) -> str:
    """The files as they are read in a question: `nodes/smell.py and nodes/ring.py`."""
    return " and ".join(f"{NODES}/{file.name}" for file in files)
