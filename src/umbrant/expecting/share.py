"""How often something happens in all takes, as far as some of them tell."""

import math

SURE = 1.959963984540054
"""How many standard deviations hold 95 % of a normal distribution."""


def wilson(happened: int, of: int) -> tuple[float, float]:
    """The interval in which the true share lies with 95 % confidence (Wilson's
    score interval); from 0 to 1 where nothing is known.
    """
    if of <= 0:
        return 0.0, 1.0
    share, square = happened / of, SURE * SURE
    middle = (share + square / (2 * of)) / (1 + square / of)
    half = (
        SURE
        / (1 + square / of)
        * math.sqrt(share * (1 - share) / of + square / (4 * of * of))
    )
    # At the ends rounding must not leave the share itself outside.
    if happened == 0:
        low = 0.0
    else:
        low = max(0.0, middle - half)
    if happened == of:
        high = 1.0
    else:
        high = min(1.0, middle + half)
    return low, high


def takes_to_decide(
    happened: int, of: int, between: tuple[float, float], most: int
) -> int | None:
    """How many takes would decide whether the share lies between two others,
    if it stays as it is; None if not even `most` would.
    """
    share, count = happened / max(1, of), max(1, of)
    while count <= most:
        low, high = wilson(round(share * count), count)
        if between[0] <= low and high <= between[1]:
            return count
        if high < between[0] or low > between[1]:
            return count
        count = max(count + 1, int(count * 1.15))
    return None
