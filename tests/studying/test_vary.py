"""What a study varies, and what it cannot."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project, validate
from umbrant.desk.chips.sentence import Chip, ChipEditor, sentence
from umbrant.model.documents import Project
from umbrant.model.expanded import resolve_variant
from umbrant.model.values import Spread
from umbrant.studying.vary import (
    VaryError,
    combinations,
    name_of_number,
    read_vary,
    with_values,
)

QUAY = open_project(DEMO)


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("warden/1.1.guard.within=6:12:2", (6.0, 8.0, 10.0, 12.0)),
        ("warden/1.1.guard.1=8,11", (8.0, 11.0)),
        ("warden/1.1.1.reach=0.1:0.4:0.1", (0.1, 0.2, 0.3, 0.4)),
        ("warden/1.1.1.reach=3:1:-1", (3.0, 2.0, 1.0)),
        ("warden/1.1.1.reach=2", (2.0,)),
        ("dusk/odo.body.walk_m_s=1:2:0.5", (1.0, 1.5, 2.0)),
        ("dusk/seconds=10,20", (10.0, 20.0)),
        ("stern-warden/1.1.guard.within=6,7", (6.0, 7.0)),
        ("commons/alarm=0.1,0.2", (0.1, 0.2)),
        ("warden/1.1.2.1.cooldown.duration=1,2", (1.0, 2.0)),
    ],
)
def test_values_are_what_is_written(
    text: str, values: tuple[float, ...]
) -> None:
    varied = read_vary(text, QUAY)
    assert varied.values == values
    for value in values:
        changed = varied.put(QUAY, value)
        assert validate(changed, BUILTIN) == []
        again = varied.put(changed, value)
        assert again == changed


def test_the_number_stands_where_it_was_put() -> None:
    changed = read_vary("warden/1.1.guard.within=9", QUAY).put(QUAY, 9.0)
    guard = changed.behavior("warden").row("esc").guard
    assert guard is not None
    assert guard.when == "can_see(visitor, within=9)"
    assert guard.watch == QUAY.behavior("warden").row("esc").guard.watch  # type: ignore[union-attr]
    changed = read_vary("warden/1.2.guard.1=20", QUAY).put(QUAY, 20.0)
    assert (
        "time_since(last_seen) < 20"
        in changed.behavior("warden").row("chk").guard.when
    )  # type: ignore[union-attr]
    changed = read_vary("dusk/odo.body.sight_m=5", QUAY).put(QUAY, 5.0)
    assert changed.scenario("dusk").cast[0].body.sight_m == 5.0


def test_every_combination_is_tried_once() -> None:
    varied = [
        read_vary("warden/1.1.guard.within=6:8:1", QUAY),
        read_vary("warden/1.1.1.reach=1,2", QUAY),
    ]
    found = list(combinations(varied))
    assert found == [(6, 1), (6, 2), (7, 1), (7, 2), (8, 1), (8, 2)]
    assert list(combinations([])) == [()]
    both = with_values(QUAY, varied, (7.0, 2.0)).behavior("warden")
    assert both.row("close").args["reach"] == 2.0
    assert both.row("esc").guard.when == "can_see(visitor, within=7)"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("within", "write it as PLACE="),
        ("within=1", "begin with a behavior or a scenario"),
        ("wardn/1.1.1.reach=1", "there is no 'wardn'. Did you mean 'warden'?"),
        ("warden/9.9.reach=1", "has no such row; it has 1, 1.1"),
        ("warden/reach=1", "has no such row"),
        (
            "warden/1.1.1.speed=1",
            "row 1.1.1 has no number 'speed'. There are: reach.",
        ),
        (
            "warden/1.1.2.1.length=1",
            "row 1.1.2.1 has no number 'length'. There are: duration, loudness, cooldown.duration.",
        ),
        ("warden/1.1.nearest=1", "There are: guard.within."),
        (
            "warden/1.1.guard.near=1",
            "the guard has no number 'near'; it has within, 1",
        ),
        ("warden/1.3.guard.1=1", "the row has no guard"),
        (
            "dusk/oda.body.walk_m_s=1",
            "'dusk' has no 'oda'. Did you mean 'odo'?",
        ),
        (
            "dusk/odo.body.wings=1",
            "'odo' has no number 'body.wings'. There are:",
        ),
        ("dusk/odo.sight=1", "Did you mean 'body.sight_m'?"),
        ("dusk/odo.name=1", "'odo' has no number 'name'"),
        ("dusk/odo.body.walk_m_s=-5", "walk_m_s"),
        ("warden/1.1.1.reach=1:2:0", "with a step of 0"),
        ("warden/1.1.1.reach=1:2:-1", "never gets to 2"),
        ("warden/1.1.1.reach=1:2", "a range has three parts"),
        ("warden/1.1.1.reach=a:b:c", "is no range"),
        ("warden/1.1.1.reach=", "is no range"),
        ("warden/1.1.1.reach=1,nan", "finite"),
        ("warden/1.1.1.reach=0:1e9:1", "more than 100,000 values"),
    ],
)
def test_what_cannot_be_varied_says_why(text: str, says: str) -> None:
    with pytest.raises(VaryError) as raised:
        read_vary(text, QUAY)
    assert says in str(raised.value)


def test_a_number_that_is_not_written_for_it_is_the_default_can_be_varied() -> (
    None
):
    row = QUAY.behavior("stall-keeper").rows[1]
    assert row.kind == "option"
    assert "weight" not in row.args
    changed = read_vary("stall-keeper/1.1.weight=0.5", QUAY).put(QUAY, 0.5)
    assert changed.behavior("stall-keeper").rows[1].args["weight"] == 0.5


@given(st.text(max_size=30), st.text(max_size=12))
def test_any_text_is_understood_or_refused(place: str, values: str) -> None:
    for text in (
        f"{place}={values}",
        f"warden/1.1.guard.within={values}",
        f"warden/{place}=1",
    ):
        try:
            varied = read_vary(text, QUAY)
        except VaryError as error:
            said = str(error)
            assert said
        else:
            assert varied.values


def numbers_of(project: Project, behavior: str) -> list[Chip]:
    """The chips of all rows of a behavior that are numbers."""
    rows = resolve_variant(project, behavior).rows
    pieces = (piece for row in rows for piece in sentence(row, BUILTIN))
    return [
        each.chip
        for each in pieces
        if each.chip and each.chip.editor is ChipEditor.NUMBER
    ]


@pytest.mark.parametrize(
    "behavior", ["warden", "stern-warden", "dog", "porter"]
)
def test_every_number_of_a_behavior_can_be_called_and_varied(
    behavior: str,
) -> None:
    called = 0
    for chip in numbers_of(QUAY, behavior):
        start = chip.span[0] if chip.span else None
        name = name_of_number(QUAY, behavior, chip.slot, start)
        if name is None:
            continue
        called += 1
        changed = read_vary(f"{name}=0.25", QUAY).put(QUAY, 0.25)
        values = [
            each.value
            for each in numbers_of(changed, behavior)
            if each.slot == chip.slot
            and (each.span[0] if each.span else None) == start
        ]
        assert [
            each.mean if isinstance(each, Spread) else each for each in values
        ] == [0.25]
    assert called
