"""What is wrong with a document, said so that it can be mended."""

from dataclasses import asdict, dataclass

from rapidfuzz import process

from umbrant.model.printable import printable

LONGEST = 500
"""How many characters each part of a problem may have."""


@dataclass(frozen=True, order=True)
class Problem:
    """One thing that is wrong: where, what, and the way out. `row` is a row's
    number and name, or empty.
    """

    file: str
    row: str
    message: str
    remedy: str = ""
    row_id: str = ""

    def __post_init__(self) -> None:
        # What is quoted comes from somebody's files: it may be long, and hold
        # what a terminal would act on.
        for name in ("file", "row", "message", "remedy"):
            object.__setattr__(
                self, name, printable(getattr(self, name), LONGEST)
            )

    def __str__(self) -> str:
        place = ": ".join(
            part
            for part in (self.file, f"row {self.row}" if self.row else "")
            if part
        )
        if self.remedy:
            return f"{place}: {self.message} {self.remedy}"
        return f"{place}: {self.message}"

    def as_json(self) -> dict[str, str]:
        """The same, for a program to read."""
        return asdict(self)


class ProjectError(Exception):
    """A project cannot be read, saved or played. Holds every problem found, in
    the order of the files.
    """

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("\n".join(str(problem) for problem in problems))
        self.problems = problems


def did_you_mean(word: str, known: list[str]) -> str:
    """`Did you mean 'last_seen'?`, or the list of what there is when nothing
    is close; empty if there is nothing.
    """
    close = process.extractOne(word, known, score_cutoff=60)
    if close:
        return f"Did you mean '{close[0]}'?"
    if known:
        return f"There are: {', '.join(known[:12])}."
    return ""
