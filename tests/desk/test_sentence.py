"""A row as a sentence: its words, its chips, and what each chip edits."""

from tests.small import key, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.desk.chips.sentence import (
    ChipEditor,
    PieceRole,
    Pill,
    has_more,
    sentence,
)
from umbrant.model.behaviors import Row, Watch
from umbrant.model.values import PlaceRef, Spread


def text(made: Row, *, in_full: bool = False) -> str:
    return " ".join(
        piece.text for piece in sentence(made, BUILTIN, in_full=in_full)
    )


def test_a_row_reads_as_a_sentence() -> None:
    made = row(
        "r1", "move_to", name="Go there", target=key("last_seen"), reach=0.6
    )
    assert text(made) == "action Go there move to last_seen within 0.6 m"


def test_parameters_at_their_default_are_left_out_until_they_are_asked_for_or_changed() -> (
    None
):
    made = row("r1", "move_to", name="Go", target=PlaceRef(place="gate"))
    assert text(made) == "action Go move to gate within 0.5 m"
    assert (
        text(made, in_full=True)
        == "action Go move to gate within 0.5 m at a walk"
    )
    assert has_more(made, BUILTIN)
    fast = row(
        "r1", "move_to", name="Go", target=PlaceRef(place="gate"), pace="run"
    )
    assert text(fast).endswith("at a run")
    assert not has_more(fast, BUILTIN)


def test_guard_decorators_and_upkeep_stand_on_pills_of_their_own() -> None:
    made = row(
        "r1",
        "wait",
        name="Wait",
        duration=Spread(mean=2, half_width=0.5),
        guard=("can_see(visitor, within=8) and n < 3", Watch.THROUGHOUT),
        decorators=[("cooldown", {"duration": 4.0}), ("invert", {})],
        upkeep=[("clear", 0.5, {"key": key("n")})],
    )
    assert text(made) == (
        "action Wait cooldown 4 s invert wait 2 s ± 0.5 "
        "if can see visitor within 8 m and n < 3 · throughout upkeep 0.5 s clear n"
    )
    pieces = sentence(made, BUILTIN)
    assert {piece.group for piece in pieces if piece.pill is Pill.GUARD} == {4}
    assert (
        len({piece.group for piece in pieces if piece.pill is Pill.WRAP}) == 3
    )


def test_each_chip_knows_where_its_value_is_kept() -> None:
    made = row(
        "r1",
        "wait",
        guard=("n < 3", Watch.ON_ENTRY),
        decorators=[("cooldown", {"duration": 4.0})],
        upkeep=[("clear", 0.5, {"key": key("n")})],
    )
    slots = {
        (piece.chip.slot.part, piece.chip.slot.param, piece.chip.editor)
        for piece in sentence(made, BUILTIN)
        if piece.chip
    }
    assert slots == {
        ("", "name", ChipEditor.NAME),
        ("decorator 0", "duration", ChipEditor.NUMBER),
        ("", "duration", ChipEditor.NUMBER),
        ("guard", "when", ChipEditor.CONDITION),
        ("guard", "when", ChipEditor.NUMBER),
        ("guard", "watch", ChipEditor.WATCH),
        ("upkeep 0", "every", ChipEditor.NUMBER),
        ("upkeep 0", "key", ChipEditor.PICK),
    }


def test_a_number_in_a_condition_is_a_chip_of_its_own_with_its_unit() -> None:
    made = row("r1", "check", when="distance(visitor) < 9")
    number = next(
        piece
        for piece in sentence(made, BUILTIN)
        if piece.chip and piece.chip.span
    )
    assert (number.text, number.chip.span, number.chip.quantity.unit) == (
        "9 m",
        (20, 21),
        "m",
    )  # type: ignore[union-attr]


def test_what_has_to_be_filled_in_says_so() -> None:
    missing = [
        piece
        for piece in sentence(row("r1", "move_to"), BUILTIN)
        if piece.chip and piece.chip.missing
    ]
    assert [(piece.text, piece.role) for piece in missing] == [
        ("target?", PieceRole.CHIP)
    ]


def test_what_is_not_known_is_shown_as_it_is_written() -> None:
    made = row(
        "r1",
        "fly",
        name="Fly",
        decorators=[("glow", {})],
        upkeep=[("hum", 1.0, {})],
        guard="1 +",
    )
    assert text(made) == "fly? Fly glow? if 1 + · on entry upkeep 1 s hum?"


def test_keys_and_names_are_told_apart_from_values() -> None:
    made = row(
        "r1",
        "pick_lowest",
        group="lamps",
        thing=key("lamp"),
        level=key("lamp_oil"),
    )
    roles = {
        piece.text: piece.role
        for piece in sentence(made, BUILTIN)
        if piece.chip
    }
    assert roles["lamps"] is PieceRole.KEY_CHIP
    assert roles["lamp_oil"] is PieceRole.KEY_CHIP
    said = row("r2", "say", text="Off the quay!")
    assert {piece.text: piece.role for piece in sentence(said, BUILTIN)}[
        "Off the quay!"
    ] is PieceRole.CHIP
