"""Who is nested in whom, and the numbers (1.2.1) that follow from it."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

DEEPEST = 64
"""How deep rows may be nested; deeper is taken for a damaged or hostile file.
"""


class OutlineError(ValueError):
    """The rows do not make a tree. `row_id` is the first row at fault."""

    def __init__(self, row_id: str, message: str) -> None:
        super().__init__(message)
        self.row_id = row_id


@dataclass(frozen=True)
class Outline:
    """The tree of row ids. All mappings hold every row, in the order in which
    the outline is read.
    """

    tops: tuple[str, ...]
    children: dict[str, tuple[str, ...]]
    parent: dict[str, str | None]
    number: dict[str, str]
    depth: dict[str, int]

    @classmethod
    def of(cls, links: Iterable[tuple[str, str | None]]) -> "Outline":
        """From (row id, id of the row it is under) pairs. Raises OutlineError
        on a repeat, an orphan or a cycle.
        """
        parent: dict[str, str | None] = {}
        under: dict[str | None, list[str]] = {}
        for row_id, above in links:
            if row_id in parent:
                raise OutlineError(
                    row_id,
                    f"the id {row_id!r} is used by two rows; give one of them another id",
                )
            parent[row_id] = above
            under.setdefault(above, []).append(row_id)
        for row_id, above in parent.items():
            if above is not None and above not in parent:
                raise OutlineError(
                    row_id,
                    f"it is under {above!r}, which is no row of this behavior",
                )
        number: dict[str, str] = {}
        depth: dict[str, int] = {}
        # By a stack of its own, not by calls: how deep a file nests its rows
        # is for this to refuse, not for Python.
        waiting = [
            (row_id, str(n), 0)
            for n, row_id in reversed(list(enumerate(under.get(None, []), 1)))
        ]
        while waiting:
            row_id, text, level = waiting.pop()
            if level >= DEEPEST:
                raise OutlineError(
                    row_id,
                    f"it is nested more than {DEEPEST} rows deep; move it further out",
                )
            number[row_id], depth[row_id] = text, level
            inner = list(enumerate(under.get(row_id, []), 1))
            waiting.extend(
                (child, f"{text}.{n}", level + 1)
                for n, child in reversed(inner)
            )
        # Whoever is nested in itself was never reached from the top.
        for row_id in parent:
            if row_id not in number:
                raise OutlineError(
                    row_id,
                    "it is nested in itself, through the rows it is under; change one `under`",
                )
        return cls(
            tops=tuple(under.get(None, [])),
            children={
                row_id: tuple(under.get(row_id, ())) for row_id in number
            },
            parent={row_id: parent[row_id] for row_id in number},
            number=number,
            depth=depth,
        )

    def siblings(self, row_id: str) -> tuple[str, ...]:
        """The rows under the same row, this one among them."""
        above = self.parent[row_id]
        if above is None:
            return self.tops
        return self.children[above]

    def path(self, row_id: str) -> tuple[str, ...]:
        """From the top row down to this one, both included."""
        found = [row_id]
        while (above := self.parent[found[-1]]) is not None:
            found.append(above)
        return tuple(reversed(found))

    def within(self, row_id: str) -> Iterator[str]:
        """This row and all rows nested in it, in the order in which they are
        read.
        """
        yield row_id
        for child in self.children[row_id]:
            yield from self.within(child)

    def find(self, text: str) -> str | None:
        """The row with this number ('1.2') or this id."""
        if text in self.number:
            return text
        return next(
            (
                row_id
                for row_id, number in self.number.items()
                if number == text
            ),
            None,
        )
