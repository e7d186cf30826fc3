"""Each kind's example: it is a sound project, and the kind is seen at work in
it.
"""

from pathlib import Path

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Kind
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.catalog.recipes.recipe import Recipe
from umbrant.catalog.templates.examples import (
    NPC,
    SHOWN,
    example_of,
    example_of_recipe,
)
from umbrant.catalog.validation import validate
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import read_take
from umbrant.take.record import Outcome

NEVER_RUNS = ("history",)
FAILS = ("invert", "always_fail")


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda recipe: recipe.id)
def test_the_example_of_a_recipe_shows_it_at_work(
    recipe: Recipe, tmp_path: Path
) -> None:
    made = example_of_recipe(recipe)
    assert validate(made) == []
    take = read_take(
        roll(RollOrder(made, "example", tmp_path / "example.take"))
    )
    rows = made.behavior("example").rows
    assert take.agents[NPC].row(SHOWN).spans
    ran = [row for row in rows if take.agents[NPC].row(row.id).spans]
    assert len(ran) > 1, "what is in it runs"


@pytest.mark.parametrize(
    "kind", BUILTIN.kinds.values(), ids=lambda kind: kind.id
)
def test_the_example_of_a_kind_shows_it_at_work(
    kind: Kind, tmp_path: Path
) -> None:
    made = example_of(kind)
    assert validate(made) == []
    behavior = made.behavior("example")
    assert SHOWN in behavior.by_id
    take = read_take(
        roll(RollOrder(made, "example", tmp_path / "example.take"))
    )
    assert take.agents[NPC].notices == []
    record = take.agents[NPC].row(SHOWN)
    if kind.id in NEVER_RUNS:
        return
    assert record.spans or record.refusals or record.gauges
    ends = {span.outcome for span in record.spans if span.outcome is not None}
    if record.spans and ends:
        assert kind.id in FAILS or ends != {Outcome.FAILURE}
