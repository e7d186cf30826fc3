"""What a part of a row goes by, in words: time left, how many of how many, a
roll and its bound.
"""

from umbrant.catalog.protocols import Gauge, Measured
from umbrant.model.values import number_text, times_text


def gauge_text(gauge: Gauge, now_s: float) -> str:
    """A gauge as it is read: `3.20 s of 9 s left`, `2 of 3`, `rolled 0.12,
    under 0.30`; empty when its time is over.
    """
    match gauge.measured:
        case Measured.UNTIL:
            left = gauge.value - now_s
            if left > 1e-9:
                return f"{left:.2f} s of {number_text(gauge.of or 0.0)} s left"
            return ""
        case Measured.COUNT:
            if gauge.of is not None:
                return f"{number_text(gauge.value)} of {number_text(gauge.of)}"
            return times_text(gauge.value)
        case Measured.ROLL:
            bound = gauge.of or 0.0
            side = "not under"
            if gauge.value < bound:
                side = "under"
            return f"rolled {gauge.value:.2f}, {side} {bound:.2f}"
        case Measured.SCORE:
            if gauge.of:
                return f"{gauge.value:.2f} + {gauge.of:.2f}"
            return f"{gauge.value:.2f}"
        case Measured.INPUT:
            return f"{gauge.value:.2f}"
