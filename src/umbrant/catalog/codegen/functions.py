"""Compiling generated source, so that tracebacks and debuggers show it."""

import linecache
from collections.abc import Callable, Mapping
from hashlib import sha256
from types import CodeType
from typing import Any
from weakref import finalize

MAKER = "make"
"""What the source defines: a function of the values to bind, which returns the
function wanted.
"""


def compile_maker(
    source: str, what: str, helpers: Mapping[str, object]
) -> Callable[..., Any]:
    """The function `make` that the source defines. `helpers` are the globals
    that it can use.

    `what` names it in tracebacks, in which its lines are shown as those of a
    file are. The source is this package's own; see the package for what may
    stand in it.
    """
    name = f"<generated {what} {sha256(source.encode()).hexdigest()[:12]}>"
    namespace: dict[str, Any] = dict(helpers)
    exec(compile(source, name, "exec"), namespace)  # noqa: S102
    maker: Callable[..., Any] = namespace[MAKER]
    _show_in_tracebacks(name, source, maker)
    return maker


def _show_in_tracebacks(
    name: str, source: str, maker: Callable[..., Any]
) -> None:
    """Register the lines with `linecache` for as long as code of theirs
    exists.
    """
    # Without a time of change `linecache.checkcache` leaves the entry alone.
    linecache.cache[name] = (
        len(source),
        None,
        source.splitlines(keepends=True),
        name,
    )
    # The functions that `make` returns outlive it; what all of them hold is
    # its inner code.
    inner = next(
        each for each in maker.__code__.co_consts if isinstance(each, CodeType)
    )
    finalize(inner, linecache.cache.pop, name, None).atexit = False
