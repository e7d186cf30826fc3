"""Keys and numbers of bodies typed as a list."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrant.catalog.language.typed_lists import ANY, typed_keys, typed_numbers
from umbrant.model.behaviors import Key
from umbrant.model.staging import Stat
from umbrant.model.values import KeyType

NUMBER = KeyType.NUMBER


def test_numbers_of_a_body_with_ranges_values_and_rates() -> None:
    found = typed_numbers(
        "tired 0..100, thirst 0..100 = 20 +0.5/s; gold 0\nmood\nhunger -1 to 1\tfear 0..1 -0.02/s",
        [],
    )
    assert found.faults == ()
    assert found.taken == {
        "tired": Stat(value=0, low=0, high=100),
        "thirst": Stat(value=20, low=0, high=100, per_s=0.5),
        "gold": Stat(value=0, low=-ANY, high=ANY),
        "mood": Stat(),
        "hunger": Stat(value=-1, low=-1, high=1),
        "fear": Stat(value=0, low=0, high=1, per_s=-0.02),
    }


def test_keys_of_every_type() -> None:
    text = 'tired 0..100 %, near 2.5 m, seen no, spot point, who agent, mood "calm", it: prop, n'
    found = typed_keys(text, [])
    assert found.faults == ()
    assert list(found.taken.values()) == [
        Key(name="tired", type=NUMBER, unit="%", low=0, high=100),
        Key(name="near", type=NUMBER, unit="m", default=2.5),
        Key(name="seen", type=KeyType.YES_NO, default=False),
        Key(name="spot", type=KeyType.POINT),
        Key(name="who", type=KeyType.AGENT),
        Key(name="mood", type=KeyType.TEXT, default="calm"),
        Key(name="it", type=KeyType.PROP),
        Key(name="n", type=NUMBER),
    ]


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ("Tired 0..1", "small letters"),
        ("2nd 3", "small letters"),
        ("old 1", "There is a 'old' already"),
        ("n 5..1", "the lower one first"),
        ("n 0..1 = 4", "not between 0 and 1"),
        ("n 0..1 %", "does not belong"),
    ],
)
def test_what_is_wrong_is_named_and_the_rest_is_taken(
    entry: str, says: str
) -> None:
    found = typed_numbers(f"good 1, {entry}, also 2", ["old"])
    assert list(found.taken) == ["good", "also"]
    (fault,) = found.faults
    assert fault.entry == entry
    assert says in fault.message


def test_a_key_of_no_type_is_named() -> None:
    (fault,) = typed_keys("n banana", []).faults
    assert "'banana' is no type" in fault.message
    assert (
        "does not change by itself"
        in typed_keys("n 1 +2/s", []).faults[0].message
    )


@given(st.text(max_size=60))
def test_any_text_is_taken_or_named(text: str) -> None:
    for read in (typed_keys, typed_numbers):
        found = read(text, [])
        entries = [
            each for each in re.split(r"[,;\n\t]", text) if each.strip()
        ]
        assert len(found.taken) + len(found.faults) == len(entries)
