"""Edits, keeps and saves a project without end, telling of each on its output:
to be killed at any moment.

`python -m tests.desk.restless_writer FOLDER` begins anew for each line it is
given, in a fork that tells its id, and at the end its exit code.
"""

import itertools
import os
import sys
from pathlib import Path

from umbrant.desk.session.autosave import _write, forget_changes, recovery_path
from umbrant.model.edits import rename_row
from umbrant.model.folder import read_project, save_project
from umbrant.model.paths import put


def write(folder: Path) -> None:
    first = read_project(folder)
    for number in itertools.count(1):
        edited = put(
            rename_row(first, "warden", "keep", f"n{number}"),
            ("stages", "quay", "title"),
            f"n{number}",
        )
        assert _write(recovery_path(folder), folder, edited)
        print("kept", number, flush=True)
        if number % 3 == 0:
            save_project(edited, folder)
            print("saved", number, flush=True)
            forget_changes(folder)


def main(folder: Path) -> None:
    for _ in sys.stdin:
        child = os.fork()
        if child == 0:
            write(folder)
        print("began", child, flush=True)
        _, status = os.waitpid(child, 0)
        print("ended", os.waitstatus_to_exitcode(status), flush=True)


main(Path(sys.argv[1]))
