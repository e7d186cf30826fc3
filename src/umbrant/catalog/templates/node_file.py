"""The file that a node of a project's own begins as: one that works, to be
changed.
"""

import keyword
import re
from collections.abc import Collection

from umbrant.catalog.templates.behaviors import fresh_name
from umbrant.model.behaviors import NodeFile

_WORDS = re.compile(r"[a-z0-9]+")

_FILE = '''"""A node of this project's own. It runs only once the project has been trusted."""

from umbrant.nodes import *


@action("{phrase} for {{duration}}", success="the time is up", failure="it has no strength left")
def {name}(me: Agent, *, duration: SpreadSeconds = 1.5) -> Steps:
    """Says what it does in a sentence; the search finds the node by its words.

    Example: {phrase} for 1.5 s.

    duration: how long it takes
    """
    strength = me.body.stat("strength")
    if strength is not None and strength < 0.1:
        return failure(f"only {{strength:.2f}} of its strength is left")
    me.world.say(me.name, "{title}!")
    progress = lasting(duration, duration)
    until_s = me.world.now_s + duration
    while me.world.now_s < until_s - 1e-9:
        yield progress
    return True
'''


def new_node_file(
    title: str, kinds: Collection[str], files: Collection[str]
) -> NodeFile:
    """A file with a node that is called so. `kinds` and `files` are names that
    are taken.

    Raises ValueError for a title without a letter from a to z.
    """
    words = _WORDS.findall(title.lower())
    name = "_".join(words).lstrip("0123456789_")[:40].rstrip("_")
    if not name:
        raise ValueError(
            f"'{title}' has no letter from a to z, which a node's name needs"
        )
    reserved = (*kinds, *keyword.kwlist)
    phrase = " ".join(words)
    text = _FILE.format(
        phrase=phrase,
        name=fresh_name(name, reserved),
        title=phrase.capitalize(),
    )
    stems = [each.removesuffix(".py") for each in files]
    return NodeFile(name=f"{fresh_name(name, stems)}.py", text=text)
