"""A behavior that begins as a recipe, from the setting."""

from tests.desk.conftest import Driver
from umbrant.catalog.recipes.builtin import RECIPES


def test_a_new_behavior_can_begin_as_any_recipe(demo_driver: Driver) -> None:
    hands = demo_driver
    hands.pane.actions_by_id["show_setting"].trigger()
    setting = hands.pane.setting
    heading = next(
        each for each in setting.all_lines() if each.path == ("behaviors",)
    )
    offered = {
        each.title: each
        for each in heading.additions
        if "by recipe" in each.title
    }
    assert len(offered) == len(RECIPES)
    before = hands.desk.project
    for title, addition in offered.items():
        setting.add(addition)
        recipe = next(
            each for each in RECIPES if f", {each.title.lower()}:" in title
        )
        made = hands.desk.project.behaviors
        new = next(each for each in made if each.title == recipe.title)
        assert len(new.rows) == len(recipe.rows)
        assert hands.desk.documents.problems == [], title
        hands.desk.documents.undo()
        assert hands.desk.project == before
