"""The range of a consideration's input, taken over from the key that is
considered.
"""

from collections.abc import Mapping

from umbrant.model.behaviors import Key, Row
from umbrant.model.documents import Project
from umbrant.model.edits import change_row
from umbrant.model.kind_ids import CONSIDER

LOW, HIGH = "low", "high"
"""The parameters of a consideration that hold the range of its input."""


def input_range(text: str, keys: Mapping[str, Key]) -> dict[str, float]:
    """The range of an input that is nothing but a key with a range; empty for
    any other.
    """
    key = keys.get(text.strip())
    if key is None or key.low is None or key.high is None:
        return {}
    return {LOW: key.low, HIGH: key.high}


def take_over_range(
    project: Project, behavior: str, row_id: str, text: str
) -> Project:
    """The project with the range of a key on the consideration that has just
    been given it as its input, if its author has not set one.
    """
    keys = project.keys_of(project.behavior(behavior))

    def change(row: Row) -> Row:
        if row.kind != CONSIDER or {LOW, HIGH} & set(row.args):
            return row
        return row.model_copy(
            update={"args": {**row.args, **input_range(text, keys)}}
        )

    return change_row(project, behavior, row_id, change)
