"""Umbrant: write how an NPC makes up its mind, watch it happen, and ask why."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from umbrant.game import Agents as Agents
    from umbrant.game import PlainBody as PlainBody
    from umbrant.game import PlainWorld as PlainWorld
    from umbrant.game import load_behavior as load_behavior

__version__ = "0.1.0"
__all__ = ["Agents", "PlainBody", "PlainWorld", "load_behavior"]


def __getattr__(name: str) -> Any:
    """What a game needs, loaded when it is asked for: the command line and the
    window start without it.
    """
    if name in __all__:
        from umbrant import game

        return getattr(game, name)
    raise AttributeError(f"module 'umbrant' has no attribute '{name}'")
