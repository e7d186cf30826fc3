"""The nearest change of an option that did not win: each number of its
decision, played again here, and so is one step less of it.
"""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.nearest.test_nearest import check, nearest, take_of
from tests.small import key, project, row
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.staging import Member
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.nearest.candidates import ChangeCandidates
from umbrant.nearest.places import CurveNumber, ParamNumber
from umbrant.reasons.why import Explainer

WANT = Key(name="want", type=KeyType.NUMBER, default=0.4, low=0, high=1)
WORK, TEA = "o1", "o2"


def day(
    curve: Curve | None = None, rest: float = 0.6, **utility: float
) -> Project:
    """*Work* is worth `rest`, and *Tea* what is wanted."""
    shape = {"curve": curve} if curve is not None else {}
    return project(
        row("uu", "utility", **utility),
        row(WORK, "option", "uu", name="Work"),
        row("c1", "consider", WORK, input=f"{rest}"),
        row("w1", "wait", WORK, duration=9.0),
        row(TEA, "option", "uu", name="Tea"),
        row("c2", "consider", TEA, input="want", low=0.0, high=1.0, **shape),
        row("w2", "wait", TEA, duration=9.0),
        keys=(WANT,),
        seconds=1.0,
    )


def said_of(made: Project, folder: Path, tick: int = 6) -> list[str]:
    """What would have had *Tea* win, each checked."""
    take = take_of(made, folder)
    found = nearest(take, TEA, tick)
    for each in found:
        check(take, each, TEA, tick, folder)
    return [each.short for each in found]


def test_the_weights_the_range_and_the_key_are_tried(tmp_path: Path) -> None:
    assert set(said_of(day(), tmp_path)) == {
        "1 → 1.5 in 1.2’s weight",
        "1 → 0.66 in 1.1’s weight",
        "1 → 0.66 in 1.2.1’s high",
        "0 → 0.34 for the start of 1.2.1’s curve",
        "0.4 → 0.61 for want at 0.60 s",
    }


def test_a_weight_of_hundreds_is_no_change_to_be_had(tmp_path: Path) -> None:
    made = day(Curve(shape=Shape.LOGISTIC, middle=1.0, steepness=15.0))
    assert not [
        each for each in said_of(made, tmp_path) if "1.2’s weight" in each
    ]


@pytest.mark.parametrize(
    ("curve", "says"),
    [
        (
            Curve(shape=Shape.LOGISTIC, middle=0.6),
            "0.6 → 0.35 for the middle of 1.2.1’s curve",
        ),
        (
            Curve(shape=Shape.STEP, threshold=0.5),
            "0.5 → 0.4 for the threshold of 1.2.1’s curve",
        ),
        (
            Curve(shape=Shape.BELL, middle=0.9, width=0.3),
            "0.9 → 0.7 for the middle of 1.2.1’s curve",
        ),
        (
            Curve(shape=Shape.POWER, exponent=2.0),
            "2 → 0.5 for the exponent of 1.2.1’s curve",
        ),
    ],
)
def test_the_numbers_of_a_curve_are_tried(
    curve: Curve, says: str, tmp_path: Path
) -> None:
    assert says in said_of(day(curve), tmp_path)


def test_the_stay_bonus_the_hold_and_the_threshold_are_tried(
    tmp_path: Path,
) -> None:
    def late(**utility: float) -> Project:
        """*Tea* is worth more from 0.4 s on."""
        made = day(rest=0.5, **utility)
        rows = [
            each.model_copy(update={"args": {"input": "time() * 1.3"}})
            if each.id == "c2"
            else each
            for each in made.behaviors[0].rows
        ]
        behavior = made.behaviors[0].with_rows(rows)
        return made.model_copy(update={"behaviors": (behavior,)})

    assert "0.4 → 0.27 in 1’s stay bonus" in said_of(
        late(stay_bonus=0.4), tmp_path
    )
    assert "3 s → 0.6 s in 1’s hold" in said_of(late(hold=3.0), tmp_path)
    low = said_of(day(rest=0.3, threshold=0.5), tmp_path)
    assert "0.5 → 0.39 in 1’s threshold" in low


def test_the_reach_of_an_upkeep_that_found_nobody_is_tried(
    tmp_path: Path,
) -> None:
    looks = [
        (
            "note_seen",
            0.1,
            {"group": "foes", "key": key("foe"), "within": 3.0},
        )
    ]
    foe = Member(name="f", group="foes", start=(10.0, 5.0))
    made = project(
        row("uu", "utility", upkeep=looks),
        row(WORK, "option", "uu", name="Work"),
        row("c1", "consider", WORK, input="0.1"),
        row("w1", "wait", WORK, duration=9.0),
        row(TEA, "option", "uu", name="Flee"),
        row("c2", "consider", TEA, input="distance(foe)", high=10.0),
        row("w2", "wait", TEA, duration=9.0),
        cast=(foe,),
        keys=(Key(name="foe", type=KeyType.AGENT),),
        seconds=1.0,
    )
    assert said_of(made, tmp_path) == ["3 m → 8 m in 1’s upkeep"]
    # A guard that asks for the key is let in by the same.
    guarded = project(
        row("top", "selector", upkeep=looks),
        row(TEA, "wait", "top", guard="is_set(foe)", duration=0.2),
        row("rest", "wait", "top", duration=0.2),
        cast=(foe,),
        keys=(Key(name="foe", type=KeyType.AGENT),),
        seconds=1.0,
    )
    assert "3 m → 8 m in 1’s upkeep" in said_of(guarded, tmp_path)


def test_a_row_of_an_option_waits_for_the_one_before_it(
    tmp_path: Path,
) -> None:
    cools = [("cooldown", {"duration": 5.0})]
    made = project(
        row("uu", "utility"),
        row(WORK, "option", "uu", name="Go"),
        row("c1", "consider", WORK, input="0.5"),
        row("w1", "count", WORK, key=key("want"), decorators=cools),
        row(TEA, "wait", WORK, duration=0.1),
        keys=(WANT,),
        seconds=1.0,
    )
    (found,) = said_of(made, tmp_path)
    assert found.startswith("5 s → ")
    assert found.endswith("in 1.1.2’s cooldown")


def test_a_number_of_a_curve_reads_as_the_input_has_it() -> None:
    made = day(Curve(shape=Shape.BELL, middle=0.25, width=0.1))
    rows = [
        each.model_copy(
            update={"args": {**each.args, "low": 10.0, "high": 30.0}}
        )
        if each.id == "c2"
        else each
        for each in made.behaviors[0].rows
    ]
    behavior = made.behaviors[0].with_rows(rows)
    made = made.model_copy(update={"behaviors": (behavior,)})
    for field, value in (("middle", 15.0), ("width", 2.0)):
        place = CurveNumber(behavior="b", row="c2", field=field)
        assert place.read(made) == value
        changed = place.put(made, value * 1.5)
        assert place.read(changed) == pytest.approx(value * 1.5)
        assert place.put(changed, value) == made


@settings(max_examples=25)
@given(
    want=st.integers(0, 20),
    rest=st.integers(0, 20),
    bonus=st.sampled_from([0.0, 0.1]),
    threshold=st.sampled_from([0.0, 0.3]),
    shape=st.sampled_from([each for each in Shape if each != Shape.POINTS]),
    flipped=st.booleans(),
)
def test_a_guess_from_the_scores_is_one_with_which_the_option_would_win(
    want: int,
    rest: int,
    bonus: float,
    threshold: float,
    shape: Shape,
    flipped: bool,
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    """Of numbers in the option itself: one step beyond the guess it wins."""
    folder = tmp_path_factory.mktemp("scores")
    made = day(
        Curve(shape=shape, flipped=flipped, threshold=0.5),
        rest / 20,
        stay_bonus=bonus,
        threshold=threshold,
    )
    start = WANT.model_copy(update={"default": want / 20})
    board = made.blackboards[0].model_copy(update={"keys": (start,)})
    made = made.model_copy(update={"blackboards": (board,)})
    take = take_of(made, folder, seconds=0.3)
    explainer = Explainer(take, "a")
    if explainer.record.row(TEA).spans:
        return
    candidates = ChangeCandidates(explainer, 2, TEA).found()
    for each in candidates:
        place = each.place
        if (
            not isinstance(place, CurveNumber | ParamNumber)
            or each.guess is None
            or place.row not in (TEA, "c2")
        ):
            continue
        away = 1e-3 if each.guess >= each.was else -1e-3
        value = each.guess + away * max(1.0, abs(each.guess))
        again = take_of(place.put(made, value), folder, seconds=0.3)
        assert again.agents["a"].row(TEA).spans, (each.title, each.guess)
