"""Write the pages of docs/ that say what the program itself knows: nodes, findings, keys.

`.venv/bin/python scripts/pages.py`; a test says when they are out of date.
"""

import os
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtGui import QGuiApplication

import umbrant.review  # noqa: F401  (declares the rules)
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.declare import Family
from umbrant.catalog.pages import kind_page
from umbrant.desk.commands.registry import ACTIONS, MENUS, sequences
from umbrant.review.findings import Subject
from umbrant.review.rules import all_rules

DOCS = Path(__file__).parents[1] / "docs"


def pages() -> dict[str, str]:
    """Each page's text, by its file's name."""
    return {"nodes.md": _nodes(), "findings.md": _findings(), "keys.md": _keys()}


def main() -> None:
    """Write the pages. The keys that a desktop has for an action are known only to an
    application.
    """
    application = QGuiApplication([])
    for name, text in pages().items():
        (DOCS / name).write_text(text)
    application.quit()


def _nodes() -> str:
    lines = [
        "# Nodes",
        "",
        "Every kind of node that comes with the program. `umbrant nodes` prints the same.",
        "",
    ]
    for family in Family:
        kinds = BUILTIN.family(family)
        if kinds:
            lines.extend([f"## {str(family).capitalize()}", ""])
            for kind in kinds:
                lines.append(kind_page(kind))
    return "\n".join(lines).rstrip() + "\n"


def _findings() -> str:
    lines = [
        "# Findings",
        "",
        "What the review tells of, in the window and with `umbrant review`.",
        "",
    ]
    said = {
        Subject.BEHAVIOR: "in a behavior",
        Subject.PROJECT: "in the project",
        Subject.TAKE: "in a take",
    }
    for rule in all_rules().values():
        lines.extend(
            [
                f"## {rule.title}",
                "",
                f"`{rule.id}` · {rule.severity} · {said[rule.subject]}",
                "",
                rule.about,
                "",
                rule.why,
                "",
            ]
        )
    return "\n".join(lines).rstrip() + "\n"


def _keys() -> str:
    lines = ["# Keys", "", "Every action of the window. **Ctrl+K** finds an action by typing.", ""]
    for menu in MENUS:
        lines.extend([f"## {menu}", "", "| action | keys | what it does |", "| --- | --- | --- |"])
        for action in ACTIONS:
            if action.menu == menu:
                keys = ", ".join(f"`{each.toString()}`" for each in sequences(action)) or "–"
                lines.append(f"| {action.title.rstrip('…')} | {keys} | {action.help} |")
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    main()
