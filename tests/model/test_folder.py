"""Projects on disk: what is read is what was written, problems are placed, and
nothing is ever half written.
"""

import errno
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import DEMO
from umbrant.model.documents import Project
from umbrant.model.edits import rename_row
from umbrant.model.files import JOURNAL, write_atomically
from umbrant.model.folder import (
    document_texts,
    parse_project,
    read_project,
    save_project,
)
from umbrant.model.problems import ProjectError


def problems(folder: Path) -> list[str]:
    with pytest.raises(ProjectError) as caught:
        read_project(folder)
    return [str(problem) for problem in caught.value.problems]


def files(folder: Path) -> dict[str, bytes]:
    return {
        str(path.relative_to(folder)): path.read_bytes()
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }


def test_saving_what_was_read_changes_no_byte(demo: Path) -> None:
    before = files(demo)
    save_project(read_project(demo), demo)
    assert files(demo) == before


def test_a_project_survives_its_own_texts(demo: Path) -> None:
    project = read_project(demo)
    assert parse_project(document_texts(project)) == project


def test_renaming_a_row_changes_one_line(demo: Path) -> None:
    project = read_project(demo)
    before = document_texts(project)["behaviors/warden.json"].splitlines()
    after = document_texts(rename_row(project, "warden", "go", "Run there"))[
        "behaviors/warden.json"
    ].splitlines()
    assert [
        new for old, new in zip(before, after, strict=True) if old != new
    ] == ['      "name": "Run there",']


def test_a_folder_without_a_project_says_where_to_look(tmp_path: Path) -> None:
    (nowhere,) = problems(tmp_path / "nowhere")
    assert nowhere.startswith("project.json: is missing")
    assert nowhere.endswith("There is no such folder.")
    (empty,) = problems(tmp_path)
    assert empty.endswith("Is this the folder of a project?")
    (around,) = problems(DEMO.parent)
    assert "such as first-steps" in around


def test_a_syntax_error_is_placed(demo: Path) -> None:
    path = demo / "stages" / "quay.json"
    path.write_text(path.read_text().replace('"width_m": 32', '"width_m" 32'))
    (problem_texts,) = problems(demo)
    assert problem_texts.startswith("stages/quay.json: line 3, column")


def test_a_file_cut_in_half_is_said_to_end_too_early(demo: Path) -> None:
    path = demo / "behaviors" / "warden.json"
    text = path.read_text()
    path.write_text(text[: text.index('"id"', len(text) // 2)].rstrip())
    (problem_texts,) = problems(demo)
    assert "The file ends too early" in problem_texts


def test_bytes_that_are_no_text_are_told(demo: Path) -> None:
    (demo / "blackboards" / "quay.json").write_bytes(b"\xff\xfe{}")
    (problem_texts,) = problems(demo)
    assert "is not UTF-8 text" in problem_texts


def test_deep_nesting_is_refused(demo: Path) -> None:
    (demo / "blackboards" / "quay.json").write_text("[" * 100_000)
    assert len(problems(demo)) == 1


def change(folder: Path, **fields: object) -> None:
    """Change fields of row `go`."""
    path = folder / "behaviors" / "warden.json"
    data = json.loads(path.read_text())
    next(row for row in data["rows"] if row["id"] == "go").update(fields)
    path.write_text(json.dumps(data))


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"kind": 7}, "row go 'Go there': `kind`: should be text (it is 7)."),
        ({"colour": "red"}, "`colour`: is no field here"),
        ({"under": "nobody"}, "it is under 'nobody', which is no row"),
        ({"under": "go"}, "it is nested in itself"),
        ({"id": "look"}, "the id 'look' is used by two rows"),
        (
            {"with": {"reach": {"mean": 1}}},
            "`with.reach.half_width`: is needed and missing.",
        ),
        ({"guard": {"when": "x", "watch": "never"}}, "`guard.watch`"),
    ],
)
def test_a_fault_in_a_row_names_the_row_and_the_field(
    demo: Path, fields: dict[str, object], says: str
) -> None:
    change(demo, **fields)
    problem_texts = problems(demo)
    assert len(problem_texts) == 1
    assert problem_texts[0].startswith("behaviors/warden.json: row ")
    assert says in problem_texts[0]


def test_a_cycle_through_several_rows_is_found(demo: Path) -> None:
    path = demo / "behaviors" / "warden.json"
    data = json.loads(path.read_text())
    for row in data["rows"]:
        row["under"] = {"chk": "go", "go": "chk"}.get(
            row["id"], row.get("under")
        )
    path.write_text(json.dumps(data))
    assert any(
        "nested in itself" in problem_texts for problem_texts in problems(demo)
    )


def test_rows_nested_too_deeply_are_refused(demo: Path) -> None:
    path = demo / "behaviors" / "warden.json"
    rows = [
        {
            "id": f"r{n}x",
            "kind": "selector",
            **({"under": f"r{n - 1}x"} if n else {}),
        }
        for n in range(200)
    ]
    path.write_text(
        json.dumps({"title": "Deep", "blackboard": "quay", "rows": rows})
    )
    (problem_texts,) = problems(demo)
    assert "more than 64 rows deep" in problem_texts


def test_the_problems_of_several_files_are_told_together(demo: Path) -> None:
    change(demo, kind=7)
    (demo / "stages" / "quay.json").write_text("{")
    assert len(problems(demo)) == 2


def test_a_file_that_cannot_be_written_leaves_the_old_one(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project: Project = rename_row(
        read_project(demo), "warden", "go", "Run there"
    )
    before = files(demo)

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(demo))

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(ProjectError, match="No space left on device"):
        save_project(project, demo)
    assert files(demo) == before


def test_a_folder_that_may_not_be_written_is_named_with_the_way_out(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = rename_row(read_project(demo), "warden", "go", "Run there")

    def forbidden(*_: object, **__: object) -> None:
        raise PermissionError(
            errno.EACCES, os.strerror(errno.EACCES), str(demo / "behaviors")
        )

    monkeypatch.setattr("tempfile.mkstemp", forbidden)
    with pytest.raises(
        ProjectError,
        match=r"behaviors: could not be written: Permission denied.*save to another folder",
    ):
        save_project(project, demo)


def test_writing_keeps_a_files_mode_and_leaves_nothing_beside_it(
    tmp_path: Path,
) -> None:
    path = tmp_path / "a.json"
    path.write_text("old")
    path.chmod(0o640)
    write_atomically(path, "new")
    assert (path.read_text(), path.stat().st_mode & 0o777) == ("new", 0o640)
    assert list(tmp_path.iterdir()) == [path]


def test_a_document_that_is_gone_is_removed_from_the_folder(
    demo: Path,
) -> None:
    project = read_project(demo)
    (demo / "behaviors" / "old.json").write_text(
        '{"title": "Old", "blackboard": "quay"}'
    )
    save_project(project, demo)
    assert not (demo / "behaviors" / "old.json").exists()


def later(project: Project) -> Project:
    """The project with other titles on all of its behaviors."""
    behaviors = tuple(
        each.model_copy(update={"title": f"{each.title}, later"})
        for each in project.behaviors
    )
    return project.model_copy(update={"behaviors": behaviors})


def test_a_save_that_was_cut_short_after_its_journal_is_finished_by_whoever_reads_next(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    changed = later(read_project(demo))
    real, done = os.replace, 0

    def dies(*args: object) -> None:
        nonlocal done
        done += 1
        if done == 4:  # the journal and two files are in place
            raise KeyboardInterrupt
        real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(os, "replace", dies)
    with pytest.raises(KeyboardInterrupt):
        save_project(changed, demo)
    monkeypatch.setattr(os, "replace", real)
    assert (demo / JOURNAL).exists()
    assert read_project(demo) == changed
    assert not [
        name
        for name in files(demo)
        if name.endswith(".part") or name == JOURNAL
    ]


def test_a_save_that_was_cut_short_before_its_journal_has_not_happened(
    demo: Path,
) -> None:
    before = read_project(demo)
    (demo / "behaviors" / ".warden.json.part").write_text("{")
    (demo / ".project.json.x1y2z3.part").write_text("{")
    assert read_project(demo) == before
    assert not [name for name in files(demo) if name.endswith(".part")]


@pytest.mark.parametrize(
    "name",
    [
        "../outside.json",
        "/etc/x.json",
        "behaviors/../../outside.json",
        "notes.txt",
        7,
    ],
)
def test_a_journal_that_came_with_a_project_touches_none_but_its_files(
    demo: Path, name: object
) -> None:
    outside = demo.parent / "outside.json"
    outside.write_text("mine")
    (demo.parent / ".outside.json.part").write_text("theirs")
    (demo / "notes.txt").write_text("mine")
    (demo / JOURNAL).write_text(
        json.dumps({"write": [name], "remove": [name]})
    )
    read_project(demo)
    assert outside.read_text() == "mine"
    assert (demo / "notes.txt").read_text() == "mine"


def test_while_another_process_saves_nobody_else_does(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = read_project(demo)
    monkeypatch.setattr("umbrant.model.files.LOCKED_S", 0.2)
    code = (
        "import fcntl, os, sys; fcntl.flock(os.open(sys.argv[1], os.O_RDONLY), "
        "fcntl.LOCK_EX); print(); input()"
    )
    command = [sys.executable, "-c", code, str(demo)]
    with subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as other:
        assert other.stdout is not None
        other.stdout.readline()
        with pytest.raises(ProjectError, match="another process is saving"):
            save_project(later(project), demo)
        with pytest.raises(ProjectError, match="another process is saving"):
            read_project(demo)
        other.communicate(b"\n")
    assert read_project(demo) == project
    save_project(later(project), demo)


def test_a_folder_that_cannot_be_read_is_not_an_empty_one(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    project = read_project(demo)
    real = os.scandir

    def forbidden(path: object) -> object:
        if str(path).endswith("behaviors"):
            raise PermissionError(
                errno.EACCES, os.strerror(errno.EACCES), str(path)
            )
        return real(path)  # type: ignore[call-overload]

    monkeypatch.setattr(os, "scandir", forbidden)
    assert problems(demo) == [
        "behaviors: cannot be read: Permission denied. Allow reading the folder."
    ]
    with pytest.raises(ProjectError, match="could not be written"):
        save_project(project, demo)


def test_a_pipe_in_place_of_a_file_is_not_waited_for(demo: Path) -> None:
    (demo / "behaviors" / "warden.json").unlink()
    os.mkfifo(demo / "behaviors" / "warden.json")
    (problem_texts,) = problems(demo)
    assert "it is no plain file" in problem_texts
