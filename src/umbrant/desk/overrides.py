"""What Qt calls in our classes, kept from ending the process by a mistake.

A mistake in a method that Qt calls is printed, logged and told of; but where
Qt was itself called from Python just then (an `event` that hands on to its
base, a slot that resizes something), PySide keeps the error for that caller.
It takes an error for an object as it does so, which one that was raised by
compiled code is not yet (`[][0]`, `int("a")`), and the process ends.
"""

from collections.abc import Callable, Iterator
from functools import wraps
from types import FunctionType
from typing import Any

from PySide6.QtCore import QObject

OURS, QT = "umbrant.", "PySide6."

_SHIELDED: set[type] = set()
"""The classes whose methods have been shielded."""


def shield_overrides() -> None:
    """Shield all methods of the program's classes that Qt may call. To be
    called before any is made; what has been shielded is left as it is.
    """
    for each in _below(QObject):
        if each.__module__.startswith(OURS) and each not in _SHIELDED:
            _SHIELDED.add(each)
            _shield(each)


def _below(base: type) -> Iterator[type]:
    """All classes that derive from one."""
    inner: list[type] = base.__subclasses__()
    for each in inner:
        yield each
        yield from _below(each)


def _shield(ours: type) -> None:
    bases = [each for each in ours.__mro__ if each.__module__.startswith(QT)]
    for name, method in list(vars(ours).items()):
        is_called = isinstance(method, FunctionType) and not name.startswith(
            "__"
        )
        if is_called and any(hasattr(each, name) for each in bases):
            setattr(ours, name, _shielded(method))


def _shielded(method: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(method)
    def called(*args: Any, **more: Any) -> Any:
        try:
            return method(*args, **more)
        except BaseException:  # noqa: TRY203
            # Whatever passes a handler is an object from then on.
            raise

    return called
