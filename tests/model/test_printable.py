"""Text from anywhere is shown on one line, short, and without what a terminal
would act on.
"""

import json

from hypothesis import given
from hypothesis import strategies as st

from umbrant.model.printable import escaped, escaped_json, printable

ODD = {
    "\x1b": "\\x1b",
    "\u202e": "\\u202e",
    "\ud800": "\\ud800",
    "\x7f": "\\x7f",
    "\u2028": "\\u2028",
    "\U000e0041": "\\U000e0041",
}


def test_what_has_no_look_of_its_own_is_escaped_and_words_of_all_languages_are_not() -> (
    None
):
    for character, shown in ODD.items():
        assert printable(f"a{character}b") == f"a{shown}b"
    for text in ("Grüße", "海", "می‌خواهم", "😀", "a b", "≤ 5 m"):
        assert printable(text) == text


@given(st.text(max_size=300))
def test_any_text_becomes_one_line_that_can_be_written(text: str) -> None:
    shown = printable(text, 80)
    shown.encode()
    assert "\n" not in shown
    assert printable(shown, 1000) == shown
    assert printable("x" * 500, 80) == "x" * 79 + "…"


@given(st.text(max_size=100))
def test_lines_stay_lines_and_nothing_is_cut(text: str) -> None:
    assert escaped(text).count("\n") == text.count("\n")
    assert "…" in text or "…" not in escaped(text)


@given(st.text(st.characters(exclude_categories=["Cs"]), max_size=100))
def test_json_that_is_escaped_reads_back_to_the_same(text: str) -> None:
    shown = escaped_json(
        json.dumps(
            [text, "\x7f\u202e\U000e0041"], ensure_ascii=False, indent=2
        )
    )
    assert json.loads(shown) == [text, "\x7f\u202e\U000e0041"]
    assert all(each not in shown for each in "\x7f\u202e\x1b\U000e0041")
