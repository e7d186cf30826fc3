"""What is told of rows, found by the row without going through all of it each
time.
"""

from typing import Generic, Protocol, TypeVar


class HasRow(Protocol):
    """Something about one row of one file: a problem or a finding."""

    @property
    def file(self) -> str: ...
    @property
    def row_id(self) -> str: ...


Something = TypeVar("Something", bound=HasRow)


class RowIndex(Generic[Something]):
    """Finds what is told of a row in a list, without going through all of it
    for each row.
    """

    def __init__(self) -> None:
        self._listed: list[Something] = []
        self._found: dict[tuple[str, str], list[Something]] = {}

    def of(
        self, listed: list[Something], file: str, row_id: str
    ) -> list[Something]:
        """What a list, which is not changed once it has been asked, tells of a
        row.
        """
        if self._listed is not listed:
            self._listed, self._found = listed, {}
            for each in listed:
                self._found.setdefault((each.file, each.row_id), []).append(
                    each
                )
        return self._found.get((file, row_id), [])
