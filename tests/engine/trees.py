"""Random trees: any composite, with machines and utilities in them, guards and
decorators.
"""

from hypothesis import strategies as st

from tests.small import row
from umbrant.model.behaviors import Row, Watch
from umbrant.model.values import Curve, Shape

GUARDS = [
    "between(0.1, 0.4)",
    "between(0, 0.3) or between(0.5, 0.7)",
    "not between(0.2, 0.5)",
    "between(0.7, 1)",
]
DECORATORS = [
    ("invert", {}),
    ("cooldown", {"duration": 0.2}),
    ("time_limit", {"limit": 0.3}),
    ("repeat", {"times": 2.0}),
    ("retry", {"times": 2.0}),
    ("delay", {"delay": 0.2}),
    ("chance", {"share": 0.5}),
    ("always_succeed", {}),
    ("always_fail", {}),
]
CURVES = [Curve(shape=Shape.LINEAR), Curve(shape=Shape.LINEAR, flipped=True)]

IN_ORDER = ("selector", "sequence")
IN_THE_REFERENCE = (*IN_ORDER, "parallel")
ONE_AT_A_TIME = (*IN_ORDER, "random_selector", "utility")
ALL = (*IN_THE_REFERENCE, *ONE_AT_A_TIME, "accompany", "machine")
DEEPEST = 3


@st.composite
def trees(
    draw: st.DrawFn, *, kinds: tuple[str, ...] = ALL, chance: bool = True
) -> list[Row]:
    """The rows of a tree. `kinds` are what may have rows in it; without
    `chance` nothing is left to luck.
    """
    decorators = [each for each in DECORATORS if chance or each[0] != "chance"]
    growing = _Growing(draw, kinds, decorators)
    growing.tree(None, 0)
    return growing.rows


class _Growing:
    def __init__(
        self,
        draw: st.DrawFn,
        kinds: tuple[str, ...],
        decorators: list[tuple[str, dict[str, float]]],
    ) -> None:
        self.rows: list[Row] = []
        self._draw = draw
        self._kinds = kinds
        self._wrapping = st.lists(
            st.sampled_from(decorators),
            max_size=2,
            unique_by=lambda each: each[0],
        )

    def tree(self, under: str | None, depth: int) -> None:
        leaf = depth >= DEEPEST or self._draw(st.booleans())
        guard = self._draw(
            st.none()
            | st.tuples(st.sampled_from(GUARDS), st.sampled_from(list(Watch)))
        )
        around = {"guard": guard, "decorators": self._draw(self._wrapping)}
        if leaf and under is not None:
            ticks, success = (
                self._draw(st.integers(0, 4)),
                self._draw(st.booleans()),
            )
            self._add("last", under, ticks=ticks, success=success, **around)
            return
        kind = self._draw(st.sampled_from(self._kinds))
        row_id = self._add(kind, under, **around, **self._setup(kind))
        for inside in self._insides(kind, row_id):
            for _ in range(self._draw(st.integers(1, 3))):
                self.tree(inside, depth + 1)

    def _add(self, kind: str, under: str | None, **setup: object) -> str:
        row_id = f"r{len(self.rows)}x"
        self.rows.append(row(row_id, kind, under, **setup))
        return row_id

    def _setup(self, kind: str) -> dict[str, object]:
        if kind in IN_ORDER:
            return {
                "resumes_at": self._draw(
                    st.sampled_from(["where it was", "the first"])
                )
            }
        if kind == "parallel":
            return {
                each: float(self._draw(st.integers(0, 2)))
                for each in ("successes", "failures", "at_once")
            }
        return {}

    def _insides(self, kind: str, row_id: str) -> list[str]:
        """What the rows are in: the row itself, or its options or states,
        which change as time goes by.
        """
        if kind == "utility":
            return [
                self._option(row_id)
                for _ in range(self._draw(st.integers(1, 3)))
            ]
        if kind == "machine":
            states = [
                self._add("state", row_id)
                for _ in range(self._draw(st.integers(1, 3)))
            ]
            for state in states:
                if self._draw(st.booleans()):
                    when, to = (
                        self._draw(st.sampled_from(GUARDS)),
                        self._draw(st.sampled_from(states)),
                    )
                    self._add("when", state, when=when, to=to)
            return states
        return [row_id]

    def _option(self, under: str) -> str:
        option = self._add("option", under)
        high, curve = (
            self._draw(st.sampled_from([0.5, 2.0])),
            self._draw(st.sampled_from(CURVES)),
        )
        self._add("consider", option, input="clock()", high=high, curve=curve)
        return option
