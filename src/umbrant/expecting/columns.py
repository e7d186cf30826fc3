"""What a term of a condition is at each tick of a take."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Bools = NDArray[np.bool_]
Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Column:
    """What a term is at each tick: numbers, texts or yes and no, and where it
    is known.
    """

    values: NDArray[Any]
    known: Bools

    @property
    def is_number(self) -> bool:
        """Whether it can be counted with."""
        return self.values.dtype.kind == "f"
