"""What a sense says."""

from dataclasses import dataclass

from umbrant.catalog.causes import Cause


@dataclass(slots=True)
class Reading:
    """The result of a sense: its value, the number behind it in the sense's
    unit, and what stood in its way.
    """

    value: bool | float | str | None
    measure: float | None = None
    cause: Cause | None = None
