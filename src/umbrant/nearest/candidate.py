"""One thing that could be made otherwise."""

from dataclasses import dataclass

from umbrant.nearest.places import Arrangement, CueTime, NumberPlace

CUE_SHIFTS_S = (-1.0, 1.0, -5.0, 5.0)
"""By how much a cue's time is shifted."""
COUNT_STEPS = (-1.0, 1.0, -2.0, 2.0, 5.0)
"""By how much what is counted is changed."""
FACTORS = (0.8, 1.25, 0.5, 2.0)
"""What a number is multiplied with where nothing says what it would have to
be.
"""


@dataclass(frozen=True)
class NumberCandidate:
    """A number that could be another one, from `low` to `high`. `guess` is
    what it would have to be by what was recorded; None where nothing says.
    """

    place: NumberPlace
    was: float
    title: str
    """Where it stands, in words: `1.1’s guard`."""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    guess: float | None = None
    is_count: bool = False
    """Whether only integers make sense."""
    zero: str = ""
    """What 0 is called, where it stands for something else."""

    def step(self, other: float) -> float:
        """The last digit that is printed of numbers of the size of this one
        and another value of it.
        """
        size = max(abs(self.was), abs(other))
        if self.is_count or size >= 100.0:
            return 1.0
        if size <= 1.0:
            return 0.01
        return 0.1

    def tries(self) -> list[float]:
        """Values to try where nothing says what it would have to be, on the
        grid of what is printed.
        """
        if isinstance(self.place, CueTime):
            return [round(self.was + each, 2) for each in CUE_SHIFTS_S]
        if self.is_count:
            return [self.was + each for each in COUNT_STEPS]
        if self.was:
            found = [self.was * each for each in FACTORS]
        else:
            found = [0.1, 1.0, 10.0]
        return [round(each, 2 if abs(each) <= 1 else 1) for each in found]

    def distance(self) -> float:
        """How large the change is thought to be, as a share of what the number
        is.
        """
        if self.guess is None:
            return 1.0
        return abs(self.guess - self.was) / max(
            abs(self.was), abs(self.guess), 1e-9
        )


@dataclass(frozen=True)
class ArrangementCandidate:
    """Something that could be arranged otherwise."""

    place: Arrangement
    title: str


Candidate = NumberCandidate | ArrangementCandidate
