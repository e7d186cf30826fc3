"""What can be written next while a condition is typed."""

from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.catalog.language.completion import (
    BLANK,
    Completion,
    Vocabulary,
    blanks,
    completions,
)
from umbrant.catalog.language.reading import typed_condition
from umbrant.catalog.validation import open_project
from umbrant.catalog.validation.names import names_in

PROJECT = open_project(DEMO)
KEYS = PROJECT.keys_of(PROJECT.behavior("warden"))
NAMES = names_in(PROJECT)
WORDS = Vocabulary(KEYS, BUILTIN, NAMES)


def offered(text: str, blank: str = "") -> list[str]:
    return [each.title for each in completions(text, len(text), WORDS, blank)]


def after(text: str, chosen: Completion) -> str:
    return text[: chosen.start] + chosen.text


def test_a_phrase_is_offered_whole_with_blanks_for_its_parts() -> None:
    first, second = completions("can s", 5, WORDS)
    assert after("can s", first) == "can see ‹target›"
    assert after("can s", second) == "can see ‹target› within ‹100 m›"
    assert blanks(second.text) == [(8, 16), (24, 31)]


def test_where_nothing_is_typed_keys_come_first_and_then_every_phrase() -> (
    None
):
    for text in ("", "not ", "lamp_oil > 0.5 and "):
        found = offered(text)
        assert found[: len(KEYS)] == sorted(KEYS)
        assert "can see target" in found


def test_within_a_phrase_only_what_its_part_takes_is_offered() -> None:
    assert "visitor" in offered("can see ")
    assert "lamp_oil" not in offered("can see ")
    assert "shed" not in offered("can see "), "a place cannot be seen"
    assert "shed" in offered("distance to ")
    assert offered("can see vis") == ["visitor"]
    assert "gulls" in offered("nearest of ")


def test_a_blank_offers_what_it_takes_and_a_number_a_key_that_holds_one() -> (
    None
):
    assert "visitor" in offered("", "target")
    assert offered("", "100 m") == sorted(
        name for name, key in KEYS.items() if key.type == "number"
    )


def test_only_the_last_part_of_a_condition_is_completed() -> None:
    text = "lamp_oil > 0.5 and vis"
    chosen = completions(text, len(text), WORDS)[0]
    assert after(text, chosen) == "lamp_oil > 0.5 and visitor"


def test_every_phrase_reads_as_a_condition_once_its_blanks_are_filled() -> (
    None
):
    """With something that each part takes: a name of the scene, a key, a
    number or a row.
    """
    row = PROJECT.behavior("warden").rows[0].name
    special = {
        "row": row,
        "state": row,
        "what": "bark",
        "low": "0",
        "high": "1",
        "key": "last_seen",
    }
    seen = set()
    for each in completions("", 0, WORDS):
        if not each.place.startswith("sense"):
            continue

        def fill(found: object) -> str:
            label = found[1]  # type: ignore[index]
            fitting = completions("", 0, WORDS, label)
            return special.get(label) or (fitting[0].text if fitting else "2")

        number = each.place.endswith("number")
        text = BLANK.sub(fill, each.text) + (" > 1" if number else "")
        if each.place.endswith(("number", "yes/no")):
            stored, faults = typed_condition(text, KEYS, BUILTIN, NAMES)
            assert faults == [], (text, faults)
            seen.add(stored.partition("(")[0].removeprefix("not "))
    assert len(seen) > len(list(BUILTIN.family(Family.SENSE))) * 0.6


@given(
    st.text(max_size=30),
    st.integers(0, 30),
    st.sampled_from(["", "target", "zone", "9 m"]),
)
def test_any_text_can_be_completed_and_keeps_what_stands_before(
    text: str, cursor: int, blank: str
) -> None:
    cursor = min(cursor, len(text))
    for each in completions(text, cursor, WORDS, blank):
        assert 0 <= each.start <= cursor
