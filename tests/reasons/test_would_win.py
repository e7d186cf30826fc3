"""What would have won a utility's decision is played before it is said; here
the engine plays it again.
"""

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.kinds import CATALOG
from tests.small import key, played, project, row
from umbrant.model.behaviors import Key, Row
from umbrant.model.documents import Project
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.reasons.scores import STAY_BONUS
from umbrant.reasons.sentences import AnswerLine, ClaimKind
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take
from umbrant.take.record import RowState

KEYS = ("ka", "kb", "kc")
INPUTS = (*KEYS, "ka + kb", "2 * kc")
CURVES = (
    Curve(shape=Shape.LINEAR),
    Curve(shape=Shape.LINEAR, flipped=True),
    Curve(shape=Shape.STEP, sign=">=", threshold=0.6),
)
NUMBERS = st.floats(0, 1.5).map(lambda each: round(each, 3))


@st.composite
def utilities(draw: st.DrawFn) -> tuple[list[Row], dict[str, float]]:
    """A utility of up to four options, and the values of the keys that they
    consider.
    """
    rows = [
        row(
            "uu",
            "utility",
            threshold=draw(st.sampled_from([0.0, 0.2])),
            stay_bonus=draw(st.sampled_from([0.0, 0.15])),
            hold=draw(st.sampled_from([0.0, 0.0, 0.5])),
        )
    ]
    for number in range(draw(st.integers(2, 4))):
        option = f"o{number}"
        guard = draw(st.sampled_from([None, None, "ka < 9", "ka > 9"]))
        weight = draw(st.sampled_from([0.5, 1.0, 1.5]))
        how = draw(
            st.sampled_from(["product", "mean", "minimum", "weighted sum"])
        )
        rows.append(
            row(
                option, "option", "uu", guard=guard, weight=weight, combine=how
            )
        )
        for index in range(draw(st.integers(1, 3))):
            what, curve = (
                draw(st.sampled_from(INPUTS)),
                draw(st.sampled_from(CURVES)),
            )
            rows.append(
                row(
                    f"{option}c{index}",
                    "consider",
                    option,
                    input=what,
                    high=1.5,
                    curve=curve,
                )
            )
        rows.append(row(f"{option}w", "last", option, ticks=99))
    return rows, {name: draw(NUMBERS) for name in KEYS}


def made_of(
    rows: list[Row], values: dict[str, float], changed: dict[str, float]
) -> Project:
    """A project in which the keys have one set of values, and from 0.3 s on
    another.
    """
    keys = tuple(
        Key(name=name, type=KeyType.NUMBER, default=values[name])
        for name in KEYS
    )
    sets = [
        row(
            f"set{name}",
            "set_number",
            "then",
            value=changed[name],
            key=key(name),
        )
        for name in KEYS
    ]
    return project(
        row("top", "parallel"),
        *(
            each.model_copy(update={"under": each.under or "top"})
            for each in rows
        ),
        row("then", "sequence", "top"),
        row("wait", "wait", "then", duration=0.25),
        *sets,
        row("rest", "last", "then", ticks=99),
        keys=keys,
        seconds=1.0,
    )


def winner(take: Take, rows: list[Row], tick: int) -> str | None:
    """The option that runs at a tick."""
    explainer = Explainer(take, "a", CATALOG)
    for each in rows:
        if (
            each.kind == "option"
            and explainer.state_of(each.id, tick) is RowState.RUNNING
        ):
            return each.id
    return None


def would_win(line: AnswerLine) -> list[tuple[str, float]]:
    """What a sentence says would have won, changed to which value."""
    wins = [each for each in line.claims if each.kind is ClaimKind.WOULD_WIN]
    return [
        (str(each.facts["what"]), float(str(each.facts["value"])))
        for each in wins
    ]


@settings(max_examples=50, deadline=None)
@given(utilities())
def test_with_what_is_said_to_win_it_wins_when_it_is_played(
    drawn: tuple[list[Row], dict[str, float]],
) -> None:
    rows, values = drawn
    take = played(made_of(rows, values, values))
    explainer = Explainer(take, "a", CATALOG)
    for option in [each.id for each in rows if each.kind == "option"]:
        for line in explainer.why_not(0, option).lines:
            for what, value in would_win(line):
                if what in KEYS:
                    changed = {**values, what: value}
                    again = played(made_of(rows, changed, changed))
                    assert winner(again, rows, 0) == option, line.text


@settings(max_examples=50, deadline=None)
@given(utilities())
def test_the_stay_bonus_that_is_said_to_lose_does_so_when_it_is_played(
    drawn: tuple[list[Row], dict[str, float]],
) -> None:
    rows, values = drawn
    swapped = dict(zip(KEYS, reversed(list(values.values())), strict=True))
    take = played(made_of(rows, values, swapped))
    explainer = Explainer(take, "a", CATALOG)
    tick = 4
    for option in [each.id for each in rows if each.kind == "option"]:
        for line in explainer.why_not(tick, option).lines:
            claims = dict(would_win(line))
            if STAY_BONUS in claims:
                top = rows[0].model_copy(
                    update={
                        "args": {
                            **rows[0].args,
                            "stay_bonus": claims[STAY_BONUS],
                        }
                    }
                )
                again = played(made_of([top, *rows[1:]], values, swapped))
                assert winner(again, rows, tick) == option, line.text
