"""Processes that are killed while they save or keep a project: what is read
afterwards is one state of it, whole.
"""

import os
import random
import signal
import time
from pathlib import Path

from benchmarks.fuzz.documents import EXAMPLES
from benchmarks.fuzz.tally import Tally
from umbrant.model.behaviors import Blackboard
from umbrant.model.documents import Project
from umbrant.model.files import write_atomically
from umbrant.model.folder import (
    document_texts,
    parse_project,
    read_project,
    save_project,
)

LONGEST_S = 0.06
"""For how long a process may save before it is killed: some saves of ten
files.
"""


def states() -> tuple[Project, Project]:
    """Two states of the demo that differ in nearly all of its files; each has
    some that the other has not.
    """
    one = read_project(EXAMPLES / "lantern-quay")

    def other(documents: tuple[object, ...]) -> tuple[object, ...]:
        return tuple(
            each.model_copy(update={"title": f"{each.title}, later"})
            for each in documents
        )  # type: ignore[attr-defined]

    changed: dict[str, object] = {
        name: other(getattr(one, name))
        for name in ("behaviors", "blackboards", "stages", "scenarios")
    }
    changed["blackboards"] = (
        *changed["blackboards"],
        Blackboard(name="zz", title="New"),
    )  # type: ignore[misc]
    changed["scenarios"] = changed["scenarios"][:-1]  # type: ignore[index]
    later = one.model_copy(update=changed)
    return parse_project(document_texts(one)), parse_project(
        document_texts(later)
    )


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Kill so many processes that save, one after the other."""
    one, other = states()
    place, kept = folder / "project", folder / "recovery.json"
    save_project(one, place)
    texts = [
        repr(sorted(document_texts(each).items())) for each in (one, other)
    ]
    write_atomically(kept, texts[0])

    def attempt(rng: random.Random) -> str:
        pid = os.fork()
        if pid == 0:
            _save_for_ever(one, other, place, kept, texts)
        time.sleep(rng.random() * LONGEST_S)
        os.kill(pid, signal.SIGKILL)
        os.waitpid(pid, 0)
        if kept.read_text() not in texts:
            return "what was kept is half written"
        found = read_project(place)
        if found not in (one, other):
            return "the project is half old and half new"
        left = sorted(
            str(each.relative_to(place))
            for each in place.rglob("*")
            if each.is_file()
        )
        return (
            ""
            if left == sorted(document_texts(found))
            else f"there are other files: {left}"
        )

    rngs = (
        (f"{seed}/{number}", random.Random(f"{seed}/{number}"))
        for number in range(attempts)
    )
    return tally.each(rngs, attempt)


def _save_for_ever(
    one: Project, other: Project, place: Path, kept: Path, texts: list[str]
) -> None:
    try:
        while True:
            for project, text in ((other, texts[1]), (one, texts[0])):
                write_atomically(kept, text)
                save_project(project, place)
    finally:
        os._exit(1)
