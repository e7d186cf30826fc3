"""The page about expectations says what there is."""

from tests.conftest import DEMO
from umbrant.expecting.expectation import Expectation, Expected
from umbrant.expecting.questions import ASKS

PAGE = (DEMO.parents[1] / "docs" / "expectations.md").read_text()


def test_every_question_stands_in_the_page() -> None:
    for ask in ASKS.values():
        assert f"| `{ask.phrase}` | {ask.help} |" in PAGE


def test_every_expectation_and_every_field_stands_in_the_page() -> None:
    for each in Expected:
        assert f"| `{each.value}` |" in PAGE
    for name in Expectation.model_fields:
        if name not in ("expect", "schema_uri"):
            assert f"`{name}`" in PAGE, name
