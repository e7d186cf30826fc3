"""Random edits of the demo: whatever is done, the project can be saved and
read again, and undone to the first byte.
"""

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import ROWS, Family
from umbrant.catalog.validation import ValidationMemory, validate
from umbrant.desk.chips.values import ChipError, FieldChip
from umbrant.desk.session.history import History
from umbrant.desk.views.setting.documents import SettingMemory as SettingMemory
from umbrant.desk.views.setting.fields import SettingLine
from umbrant.desk.views.setting.lines import Setting
from umbrant.model.behaviors import Row, Watch
from umbrant.model.clipboard import (
    extract_rows,
    paste_rows,
    rows_from,
    rows_text,
    wrap_rows,
)
from umbrant.model.documents import Project
from umbrant.model.edits import (
    Edit,
    add_decorator,
    add_upkeep,
    delete_rows,
    fresh_id,
    insert_row,
    move_row,
    nest_row,
    remove_part,
    rename_row,
    set_guard,
    set_kind,
    set_muted,
    set_note,
    unnest_row,
)
from umbrant.model.expanded import expand_behavior, written_under
from umbrant.model.folder import document_texts, read_project, save_project
from umbrant.model.outline import OutlineError
from umbrant.model.paths import PathError, move, remove
from umbrant.review import review

PROJECT = read_project(DEMO)
VALIDATED: ValidationMemory = {}
WRITTEN: SettingMemory = {}
validate(PROJECT, BUILTIN, VALIDATED)
Setting(PROJECT, BUILTIN, WRITTEN).lines()
KINDS = [kind.id for kind in BUILTIN.family(*ROWS)]
WORDS = [
    "rest",
    "Öl & Salz",
    "a b",
    "x",
    "clock",
    "visitor",
    "not",
    "3",
    "(1, 2)",
    "yes",
    "n > 3",
    "",
    "can_see(visitor)",
]


def row_edit(
    data: st.DataObject, project: Project
) -> Callable[[Project], Project]:
    """Something done to a random row of a random behavior, or of one that it
    uses.
    """
    name = data.draw(
        st.sampled_from([each.name for each in project.behaviors])
    )
    behavior = expand_behavior(project, name).behavior
    if not behavior.rows:
        return lambda p: p
    row = data.draw(st.sampled_from(behavior.rows))
    around, kind = (
        written_under(behavior, row.id),
        data.draw(st.sampled_from(KINDS)),
    )
    word = data.draw(st.sampled_from(WORDS))
    new = Row(id=fresh_id(behavior), kind=kind, name=word)
    parts = [
        "guard",
        *(f"decorator {n}" for n in range(len(row.decorators))),
        *(f"upkeep {n}" for n in range(len(row.upkeep))),
    ]
    part = data.draw(st.sampled_from(parts))
    rows = rows_from(rows_text(project, name, [row.id]))
    edits: list[Callable[[Project], Project]] = [
        lambda p: rename_row(p, name, row.id, word),
        lambda p: set_note(p, name, row.id, word),
        lambda p: set_muted(p, name, [row.id], not row.muted),
        lambda p: set_guard(
            p, name, row.id, word, data.draw(st.sampled_from(list(Watch)))
        ),
        lambda p: set_kind(p, name, row.id, kind, ["target", "to"]),
        lambda p: add_decorator(p, name, row.id, "cooldown"),
        lambda p: add_upkeep(p, name, row.id, "count"),
        lambda p: remove_part(p, name, row.id, part),
        lambda p: insert_row(p, name, new, after=None, under=row.id),
        lambda p: move_row(p, name, row.id, 1),
        lambda p: move_row(p, name, row.id, -1),
        lambda p: nest_row(p, name, row.id),
        lambda p: unnest_row(p, name, row.id),
    ]
    if around is not None:
        edits.extend(
            [
                lambda p: delete_rows(p, name, [row.id]),
                lambda p: paste_rows(
                    p, name, rows, after=row.id, under=around
                )[0],
                lambda p: wrap_rows(p, name, [row.id], "sequence", word)[0],
                lambda p: extract_rows(
                    p, name, [row.id], f"part-{len(p.behaviors)}", "Part"
                )[0],
            ]
        )
    return data.draw(st.sampled_from(edits))


def setting_edit(
    data: st.DataObject, project: Project, lines: list[SettingLine]
) -> Callable[[Project], Project]:
    """Something done to a random line of the setting: added, removed, moved,
    or a chip of it changed.
    """
    line = data.draw(st.sampled_from(lines))
    chips = [
        piece.chip
        for piece in line.pieces
        if isinstance(piece.chip, FieldChip)
    ]
    what = data.draw(
        st.sampled_from(
            ["add", "remove", "move", *["chip"] * (4 if chips else 0)]
        )
    )
    if what == "add" and line.additions:
        addition = data.draw(st.sampled_from(line.additions))
        return lambda p: addition.add_to(p)[0]
    if what == "remove" and line.removable and len(line.path) > 2:
        return lambda p: remove(p, line.path)
    if what == "move" and isinstance(line.path[-1], int):
        return lambda p: move(p, line.path, 1)
    if what == "chip":
        chip = data.draw(st.sampled_from(chips))
        if chip.offered:
            value: Any = data.draw(st.sampled_from(chip.offered)).value
        else:
            try:
                value = chip.read(data.draw(st.sampled_from(WORDS)))
            except ChipError:
                return lambda p: p
        return lambda p: chip.put(p, value)
    return lambda p: p


@settings(
    max_examples=10, deadline=None, suppress_health_check=list(HealthCheck)
)
@given(st.data(), st.integers(1, 20))
def test_a_project_outlives_whatever_is_done_to_it(
    data: st.DataObject, count: int
) -> None:
    history, validated, written = (
        History(PROJECT, PROJECT),
        dict(VALIDATED),
        dict(WRITTEN),
    )
    for _ in range(count):
        if data.draw(st.booleans()):
            change = row_edit(data, history.project)
        else:
            change = setting_edit(
                data,
                history.project,
                Setting(history.project, BUILTIN, written).lines(),
            )
        try:
            history.do(Edit("edit", change))
        except (PathError, OutlineError):
            continue
        validate(history.project, BUILTIN, validated)
    last = history.project
    assert validate(last, BUILTIN, validated) == validate(last, BUILTIN)
    text = [line.text for line in Setting(last, BUILTIN, written).lines()]
    assert text == [line.text for line in Setting(last, BUILTIN).lines()]
    if all(problem.row_id for problem in validate(last, BUILTIN)):
        review(last, BUILTIN)
    if not [
        problem for problem in validate(last, BUILTIN) if not problem.row_id
    ]:
        with tempfile.TemporaryDirectory() as folder:
            save_project(last, Path(folder))
            assert document_texts(
                read_project(Path(folder))
            ) == document_texts(last)
    while history.undo():
        pass
    assert document_texts(history.project) == document_texts(PROJECT)
    while history.redo():
        pass
    assert document_texts(history.project) == document_texts(last)


def test_there_are_kinds_of_each_family_among_them() -> None:
    assert {kind.family for kind in map(BUILTIN.kinds.get, KINDS) if kind} >= {
        Family.ACTION,
        Family.STATE,
        Family.OPTION,
    }
