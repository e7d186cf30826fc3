"""A kind of node as a page of the reference, in Markdown."""

from umbrant.catalog.kind import Kind


def kind_page(kind: Kind) -> str:
    """The reference page of a kind, in Markdown: its phrase, help, example,
    outcomes and parameters.
    """
    lines = [f"### {kind.title}", ""]
    parts = kind.phrase_parts([param.name for param in kind.params])
    if parts:
        lines.extend(
            [
                " ".join(
                    words if param is None else f"*{param.label}*"
                    for words, param in parts
                ),
                "",
            ]
        )
    lines.extend([kind.help, ""])
    if kind.example:
        lines.extend([f"Example: {' '.join(kind.example.split())}", ""])
    lines.extend(
        f"- {outcome}: {meaning}"
        for outcome, meaning in kind.outcomes.items()
        if meaning
    )
    for param in kind.params:
        left_out = ", may be left out"
        if param.required:
            left_out = ""
        choices = ""
        if param.choices:
            choices = f": {' or '.join(f'`{each}`' for each in param.choices)}"
        lines.append(
            f"- **{param.label}** ({param.type}{choices}{left_out}): {param.help}"
        )
    if kind.own:
        lines.extend(["", f"From {kind.own}."])
    return "\n".join(lines).rstrip() + "\n"
