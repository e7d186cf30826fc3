"""Chips: what may be typed, how a number steps, what can be picked, and what
that does to the project.
"""

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.small import key, project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.desk.chips.sentence import Chip, ChipEditor, sentence
from umbrant.desk.chips.values import (
    ChipError,
    bounded,
    chip_edit,
    chip_tip,
    choices,
    stepped,
    typed_value,
)
from umbrant.model.behaviors import Key, Row, UpkeepMoment, Watch
from umbrant.model.documents import Project
from umbrant.model.expanded import expand_behavior
from umbrant.model.staging import Member, Prop
from umbrant.model.values import (
    Curve,
    KeyRef,
    KeyType,
    PlaceRef,
    Shape,
    Spread,
)

KEYS = (
    Key(name="visitor", type=KeyType.AGENT),
    Key(name="spot", type=KeyType.POINT),
    Key(name="lamp", type=KeyType.PROP),
    Key(name="n", type=KeyType.NUMBER),
    Key(name="flag", type=KeyType.YES_NO),
)


def made(*rows: Row) -> Project:
    return project(
        row("top", "sequence"),
        *rows,
        keys=KEYS,
        cast=(Member(name="v", start=(5, 5)),),
        props=(Prop(name="lamp_one", group="lamps", at=(3, 3)),),
    )


def chip(of: Row, param: str, editor: ChipEditor | None = None) -> Chip:
    found = [
        piece.chip
        for piece in sentence(of, BUILTIN, in_full=True)
        if piece.chip
    ]
    return next(
        each
        for each in found
        if each.slot.param == param and editor in (None, each.editor)
    )


BOTH = row("both", "parallel", failures=1.0)
WAIT = row("r1", "wait", "top", duration=Spread(mean=2, half_width=0.5))
MOVE = row("r1", "move_to", "top", target=key("spot"), reach=1.0)
GUARDED = row(
    "r1",
    "wait",
    "top",
    guard=("can_see(visitor, within=8) and n > -2.5", Watch.THROUGHOUT),
)


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("3", 3.0),
        (" 3.5 s ", 3.5),
        (".5", 0.5),
        ("-1", 0.0),
        ("2 ± 0.5", Spread(mean=2, half_width=0.5)),
        ("2 s ± 0.5", Spread(mean=2, half_width=0.5)),
        ("2+-1", Spread(mean=2, half_width=1)),
    ],
)
def test_what_is_typed_into_a_duration(typed: str, expected: object) -> None:
    assert typed_value(chip(WAIT, "duration"), typed) == expected


@pytest.mark.parametrize(
    "typed", ["", "soon", "1..2", "1 2", "nan", "inf", "1e9e", "2 ± "]
)
def test_what_is_no_number_is_refused_with_an_example(typed: str) -> None:
    with pytest.raises(ChipError, match=r"write 2 or 2 ± 0\.5"):
        typed_value(chip(WAIT, "duration"), typed)


def test_what_is_counted_is_an_integer() -> None:
    for typed, expected in (("2.6", 3.0), ("0.2", 0.0), ("4", 4.0)):
        assert typed_value(chip(BOTH, "failures"), typed) == expected


def test_a_spread_is_refused_where_one_number_is_wanted() -> None:
    with pytest.raises(ChipError, match=r"a number such as 2\.5"):
        typed_value(chip(MOVE, "reach"), "2 ± 1")


@given(st.text(max_size=12))
def test_anything_typed_gives_a_value_or_a_clean_error(typed: str) -> None:
    value: object = 0.0
    with contextlib.suppress(ChipError):
        value = typed_value(chip(WAIT, "duration"), typed)
    assert isinstance(value, float | Spread)


def test_steps_follow_the_quantity_stay_in_bounds_and_keep_the_give() -> None:
    assert stepped(chip(MOVE, "reach"), 3) == pytest.approx(1.3)
    assert stepped(chip(MOVE, "reach"), -100) == 0
    assert stepped(chip(WAIT, "duration"), 5) == Spread(
        mean=2.5, half_width=0.5
    )
    assert bounded(chip(MOVE, "reach"), -3) == 0


def test_a_number_in_a_condition_is_replaced_where_it_stands_however_long_it_grows() -> (
    None
):
    """During a drag the chip stays as it was when the drag began, while the
    condition changes under it.
    """
    start, within = made(GUARDED), chip(GUARDED, "when", ChipEditor.NUMBER)
    now = start
    for metres, expected in (
        (8.1, "8.1"),
        (12, "12"),
        (0.25, "0.25"),
        (7, "7"),
    ):
        now = chip_edit("b", within, metres).apply(now)
        guard = now.behavior("b").row("r1").guard
        assert guard is not None
        assert (
            guard.when == f"can_see(visitor, within={expected}) and n > -2.5"
        )
        assert guard.watch is Watch.THROUGHOUT


def test_a_negative_number_in_a_condition_is_replaced_with_its_sign() -> None:
    found = [
        piece.chip
        for piece in sentence(GUARDED, BUILTIN)
        if piece.chip and piece.chip.span
    ]
    edited = (
        chip_edit("b", found[1], 4.0)
        .apply(made(GUARDED))
        .behavior("b")
        .row("r1")
        .guard
    )
    assert edited is not None
    assert edited.when == "can_see(visitor, within=8) and n > 4"


def test_the_watch_the_name_and_the_period_are_chips_too() -> None:
    start = made(
        row(
            "r1",
            "wait",
            "top",
            guard="flag",
            upkeep=[("clear", 0.5, {"key": key("n")})],
        )
    )
    of = start.behavior("b").row("r1")
    now = chip_edit("b", chip(of, "watch"), "take over").apply(start)
    now = chip_edit("b", chip(of, "name"), "Stand").apply(now)
    now = chip_edit("b", chip(of, "every"), 2.0).apply(now)
    changed = now.behavior("b").row("r1")
    assert changed.guard is not None
    assert (changed.guard.watch, changed.name, changed.upkeep[0].every_s) == (
        Watch.TAKE_OVER,
        "Stand",
        2.0,
    )


def test_an_upkeep_is_done_every_so_often_or_once_as_picked_or_typed() -> None:
    start = made(row("r1", "wait", upkeep=[("clear", 2.0, {"key": key("n")})]))
    every = chip(start.behavior("b").row("r1"), "every")
    assert [each.label for each in choices(every, start, None)] == [
        "every so often",
        "on entry",
        "on leaving",
    ]
    once = chip_edit("b", every, typed_value(every, "on leaving")).apply(start)
    of = once.behavior("b").row("r1")
    assert of.upkeep[0].at is UpkeepMoment.LEAVING
    read = " ".join(piece.text for piece in sentence(of, BUILTIN))
    assert read.endswith("upkeep on leaving clear n")
    often = choices(chip(of, "every"), once, None)[0]
    again = (
        chip_edit("b", chip(of, "every"), often.value)
        .apply(once)
        .behavior("b")
        .row("r1")
    )
    assert (again.upkeep[0].at, again.upkeep[0].every_s) == (
        UpkeepMoment.EVERY,
        0.5,
    )


def test_an_edit_is_named_after_what_it_does() -> None:
    assert chip_edit("b", chip(MOVE, "reach"), 2.0).name == "Set reach to 2 m"
    assert (
        chip_edit("b", chip(MOVE, "target"), KeyRef(key="lamp")).name
        == "Set target to lamp"
    )


def picked(of: Row, param: str) -> list[str]:
    return [
        choice.label
        for choice in choices(
            chip(of, param), made(of), expand_behavior(made(of), "b")
        )
    ]


def test_a_place_can_be_a_key_with_a_place_a_named_place_one_of_the_cast_or_a_prop() -> (
    None
):
    assert picked(MOVE, "target") == [
        "visitor",
        "spot",
        "lamp",
        "corner",
        "a",
        "v",
        "lamp_one",
    ]


def test_other_chips_offer_what_fits_them() -> None:
    assert picked(MOVE, "pace") == ["walk", "run"]
    assert picked(MOVE, "reach") == ["n"]
    assert picked(row("r1", "set_yes_no", "top"), "value") == [
        "flag",
        "yes",
        "no",
    ]
    assert picked(row("r1", "clear", "top"), "key") == [
        "visitor",
        "spot",
        "lamp",
        "n",
        "flag",
    ]
    assert picked(row("r1", "pick_lowest", "top"), "group") == ["lamps"]
    assert picked(row("r1", "pick_lowest", "top"), "thing") == ["lamp"]
    assert picked(GUARDED, "watch") == [str(watch) for watch in Watch]
    assert picked(row("r1", "follow", "top"), "target") == [
        "visitor",
        "a",
        "v",
    ]


def test_what_is_picked_is_what_the_file_holds() -> None:
    place = next(
        choice
        for choice in choices(
            chip(MOVE, "target"), made(MOVE), expand_behavior(made(MOVE), "b")
        )
        if choice.label == "corner"
    )
    assert place.value == PlaceRef(place="corner")
    assert (place.help, place.section) == ("a place of the stage", "Places")
    sections = dict.fromkeys(
        choice.section
        for choice in choices(
            chip(MOVE, "target"), made(MOVE), expand_behavior(made(MOVE), "b")
        )
    )
    assert list(sections) == ["Keys", "Places", "Cast", "Props"]


def test_a_chip_says_what_it_is_and_how_it_is_changed() -> None:
    assert chip_tip(chip(MOVE, "reach")) == (
        "reach: how near counts as there, measured along the way. "
        "Drag sideways, click to type, or right-click for a key."
    )
    for piece in sentence(GUARDED, BUILTIN):
        if piece.chip:
            assert chip_tip(piece.chip).endswith(".")


def test_a_steps_sign_and_threshold_are_chips() -> None:
    step = row("cc", "consider", curve=Curve(shape=Shape.STEP), input="n")
    start = made(
        row("uu", "utility"),
        row("oo", "option", "uu"),
        step.model_copy(update={"under": "oo"}),
    )
    of = start.behavior("b").row("cc")
    assert [piece.text for piece in sentence(of, BUILTIN)][-3:] == [
        "step",
        "≥",
        "0",
    ]
    sign, threshold = (
        next(
            each.chip
            for each in sentence(of, BUILTIN)
            if each.chip and each.chip.label == label
        )
        for label in ("sign", "threshold")
    )
    less = next(
        each for each in choices(sign, start, None) if each.label == "≤"
    )
    now = chip_edit("b", sign, less.value).apply(start)
    now = chip_edit("b", threshold, typed_value(threshold, "2.5")).apply(now)
    curve = now.behavior("b").row("cc").args["curve"]
    assert (curve.sign, curve.threshold) == ("<=", 2.5)
    assert chip_edit("b", threshold, 3.0).name == "Set threshold to 3"
