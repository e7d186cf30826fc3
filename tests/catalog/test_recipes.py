"""Recipes: each is put into a new project, is fine there, and does what it
says.
"""

import pytest

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.recipes.builtin import RECIPES
from umbrant.catalog.recipes.recipe import Inserted, Recipe, insert_recipe
from umbrant.catalog.templates.behaviors import new_project
from umbrant.catalog.validation import validate
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.edits import declare_key
from umbrant.model.staging import Cue, MoveTo, Stat, WalkPoint
from umbrant.model.values import KeyRef, KeyType
from umbrant.review import review
from umbrant.review.findings import Severity
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

BY_ID = {each.id: each for each in RECIPES}
RUNS = {
    "patrol": ("go", "look"),
    "chase": ("chase", "there", "look", "forget"),
    "guard": ("face", "halt", "post", "look"),
    "flee": ("away", "breath", "home", "rest"),
    "strike": ("ring", "in", "hit"),
    "follow": ("keep", "face", "wait"),
    "search": ("watch", "there", "look", "on", "again", "forget"),
    "chatter": ("one", "two", "three", "pause"),
    "hide": ("cover", "calm"),
    "needs": ("go", "do", "bed", "sleep", "fresh"),
    "utility": ("bed", "sleep", "fresh", "table", "meal", "full", "do"),
    "bands": ("stand", "go", "hit", "pause", "seen", "close", "out", "lost"),
}
"""The rows of each recipe that run in two minutes in which somebody comes and
goes.
"""


def visited(made: Project) -> Project:
    """The project with a visitor who can be hurt, and who comes near and goes
    away again.
    """
    scenario = made.scenarios[0]
    near, far = (6.0, 4.0), (22.0, 12.0)
    walk = tuple(
        WalkPoint(at_s=at_s, to=to)
        for at_s, to in (
            (3, far),
            (14, near),
            (20, (8.0, 3.0)),
            (32, (9.0, 3.0)),
            (60, far),
            (75, near),
        )
    )
    cast = list(scenario.cast)
    body = cast[1].body.model_copy(
        update={"stats": {"health": Stat()}, "walk_m_s": 1.4}
    )
    cast[1] = cast[1].model_copy(update={"walk": walk, "body": body})
    gone = Cue(at_s=45.0, does=MoveTo(moves="visitor", to=(1.0, 13.0)))
    update = {"cast": tuple(cast), "cues": (gone,), "seconds": 120.0}
    changed = scenario.model_copy(update=update)
    return made.model_copy(update={"scenarios": (changed,)})


def inserted(recipe: Recipe, made: Project | None = None) -> Inserted:
    made = made or new_project("New")
    top = made.behaviors[0].rows[0]
    return insert_recipe(
        made,
        made.behaviors[0].name,
        recipe,
        after=None,
        under=top.id,
        scenario="day",
    )


def names_that_ran(take: Take, made: Inserted, recipe: Recipe) -> set[str]:
    behavior = take.header.expanded("guard").behavior
    within = list(behavior.outline.within(made.top))
    ids = dict(zip(within, (each.id for each in recipe.rows), strict=True))
    rows = take.agents["guard"].rows
    return {ids[each] for each in within if each in rows and rows[each].spans}


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda each: each.id)
def test_a_recipe_is_fine_where_it_is_put_and_does_what_it_says(
    recipe: Recipe, tmp_path: object
) -> None:
    made = inserted(recipe)
    project = visited(made.project)
    assert validate(project, BUILTIN) == []
    within = set(made.project.behaviors[0].outline.within(made.top))
    found = [
        each for each in review(project, BUILTIN) if each.row_id in within
    ]
    wrong = [each for each in found if each.rule.severity is not Severity.HINT]
    assert [str(each) for each in wrong] == []
    path = tmp_path / "r.take"  # type: ignore[operator]
    take = read_take(roll(RollOrder(project, "day", path)))
    ran = names_that_ran(take, made, recipe)
    assert set(RUNS[recipe.id]) <= ran
    leaves = {each.row.id for each in _leaves(recipe.top)}
    assert leaves - ran <= {"seen", "lost", "close", "out"} | {
        "pick",
        "tired",
        "empty",
        "able",
    }
    assert set(RUNS) == set(BY_ID)


def _leaves(top):  # type: ignore[no-untyped-def]
    if not top.inside:
        yield top
    for each in top.inside:
        yield from _leaves(each)


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda each: each.id)
def test_the_blanks_of_a_recipe_are_chips_of_its_rows(recipe: Recipe) -> None:
    made = inserted(recipe)
    rows = made.project.behaviors[0].by_id
    assert len(made.blanks) == len(recipe.blanks) > 1
    for row_id, param in made.blanks:
        row = rows[row_id]
        kind = BUILTIN.kinds[row.kind]
        is_guard = param == "when" and row.guard is not None
        assert is_guard or kind.param(param) is not None, (row.name, param)
    assert len(recipe.words) > 4
    assert len({each.id for each in recipe.rows}) == len(recipe.rows)


def test_keys_that_are_there_are_used_and_others_are_made() -> None:
    made = inserted(BY_ID["chase"])
    # The new project names somebody already: no second key for the same.
    assert made.new_keys == ("target_seen", "last_seen")
    rows = {each.name: each for each in made.project.behaviors[0].rows}
    assert rows["Chase"].args["target"] == KeyRef(key="visitor")
    assert rows["Chase and give up"].guard is not None
    assert (
        rows["Chase and give up"].guard.when == "can_see(visitor, within=10)"
    )
    again = inserted(BY_ID["search"], made.project)
    assert again.new_keys == ("search_spot",)


def test_a_key_of_another_type_keeps_its_name() -> None:
    made = declare_key(
        new_project("New"), "guard", Key(name="last_seen", type=KeyType.NUMBER)
    )
    put_in = inserted(BY_ID["chase"], made)
    assert put_in.new_keys == ("target_seen", "last_seen_2")
    assert validate(put_in.project, BUILTIN) == []
    upkeep = next(
        each for each in put_in.project.behaviors[0].rows if each.upkeep
    ).upkeep[0]
    assert upkeep.args["where"] == KeyRef(key="last_seen_2")


def test_a_stage_without_places_gets_points() -> None:
    made = new_project("New")
    bare = made.model_copy(
        update={"stages": (made.stages[0].model_copy(update={"places": ()}),)}
    )
    rows = {
        each.name: each
        for each in inserted(BY_ID["guard"], bare).project.behaviors[0].rows
    }
    assert rows["To the post"].args["target"] == (4.0, 3.0)
