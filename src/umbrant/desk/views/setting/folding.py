"""Which lines of the setting are shown: what is folded away, many of a kind as
one line that opens, and what a filter leaves. Knows nothing of Qt.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import groupby

from umbrant.desk.views.setting.fields import SettingLine
from umbrant.model.paths import Path

MANY = 4
"""From how many of a kind in a row on they are one line that opens."""


def in_groups(
    items: Iterable[tuple[str, Sequence[SettingLine]]],
    head: Callable[[str, Sequence[SettingLine]], SettingLine],
) -> Iterator[SettingLine]:
    """The lines of things that each have a kind; many of one in a row are put
    below one line.

    `head` makes it, from the kind and the first line of each. Without a kind
    things stay as they are.
    """
    for kind, run in groupby(items, key=lambda each: each[0]):
        found = [list(lines) for _, lines in run]
        lines = [line for each in found for line in each]
        if kind and len(found) >= MANY:
            yield head(kind, [each[0] for each in found])
            lines = [replace(line, depth=line.depth + 1) for line in lines]
        yield from lines


def is_closed(line: SettingLine, toggled: set[Path]) -> bool:
    """Whether what is below a line is folded away. Lines of many begin so."""
    return line.begins_closed != (line.path in toggled)


def shown_lines(
    lines: Sequence[SettingLine], toggled: set[Path], words: Sequence[str] = ()
) -> list[SettingLine]:
    """The lines that are shown. With words, those that hold all of them,
    wherever they are folded away, each below the lines around it.
    """
    if words:
        return _filtered(lines, words)
    shown, hidden_below = [], -1
    for line in lines:
        if hidden_below >= 0 and line.depth > hidden_below:
            continue
        if is_closed(line, toggled):
            hidden_below = line.depth
        else:
            hidden_below = -1
        shown.append(line)
    return shown


def _holds(line: SettingLine, words: Sequence[str]) -> bool:
    text = line.text.lower()
    return all(word.lower() in text for word in words)


def best_line(
    lines: Sequence[SettingLine], words: Sequence[str]
) -> SettingLine | None:
    """The line that a filter most likely means: one with that name, else the
    first whose name begins so or holds it, else the first that holds the
    words; None without any.
    """
    wanted = " ".join(words).lower()

    def rank(line: SettingLine) -> int:
        name = ""
        if len(line.pieces) > 1 and not line.heading:
            name = line.pieces[1].text.lower()
        return (
            (name == wanted) * 3
            or (name.startswith(wanted)) * 2
            or (wanted in name) * 1
        )

    if words:
        found = [line for line in lines if _holds(line, words)]
    else:
        found = []
    return max(found, key=rank, default=None)


def _filtered(
    lines: Sequence[SettingLine], words: Sequence[str]
) -> list[SettingLine]:
    found: list[SettingLine] = []
    around: list[SettingLine] = []
    for line in lines:
        while around and around[-1].depth >= line.depth:
            around.pop()
        around.append(line)
        if _holds(line, words):
            found.extend(
                each
                for each in around
                if not any(each is known for known in found[-9:])
            )
    return found


def lines_around(
    lines: Iterable[SettingLine], path: Path
) -> list[SettingLine]:
    """The lines that the one of a path is below of, the outermost first; none
    for an unknown path.
    """
    around: list[SettingLine] = []
    for line in lines:
        while around and around[-1].depth >= line.depth:
            around.pop()
        if line.path == path:
            return around
        around.append(line)
    return []
