"""A recipe as a page of the reference, in Markdown."""

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.recipes.recipe import Recipe
from umbrant.desk.chips.sentence import sentence


def recipe_page(recipe: Recipe) -> str:
    """The reference page of a recipe, in Markdown: what it does, what finds
    it, and its rows.
    """
    words = ", ".join(recipe.words[1:])
    lines = [
        f"## {recipe.title}",
        "",
        recipe.help,
        "",
        f"Also found by: {words}.",
        "",
    ]
    depth: dict[str | None, int] = {None: -1}
    for row in recipe.rows:
        depth[row.id] = depth[row.under] + 1
        says = " ".join(
            piece.text for piece in sentence(row, BUILTIN) if piece.text
        )
        lines.append(f"{'    ' * depth[row.id]}- {says}")
    return "\n".join(lines) + "\n"
