"""What is different between two states of a project, and whether its files
were changed by somebody else.
"""

from collections.abc import Iterator
from pathlib import Path

from umbrant.model.behaviors import Behavior
from umbrant.model.documents import Project

Stamp = dict[str, tuple[int, int]]
"""When each file of a project was last written, in nanoseconds, and how long
it is.
"""

COLLECTIONS = ("behaviors", "blackboards", "stages", "scenarios")


def stamp(folder: Path) -> Stamp:
    """The stamp of a project's JSON files; what cannot be read is left out."""
    found: Stamp = {}
    for path in sorted(
        [
            *folder.glob("*.json"),
            *(
                each
                for name in COLLECTIONS
                for each in folder.glob(f"{name}/*.json")
            ),
        ]
    ):
        try:
            about = path.stat()
        except OSError:
            continue
        found[path.relative_to(folder).as_posix()] = (
            about.st_mtime_ns,
            about.st_size,
        )
    return found


def changed_files(before: Stamp, now: Stamp) -> list[str]:
    """The files that were written, made or removed between two stamps."""
    return sorted(
        name
        for name in before.keys() | now.keys()
        if before.get(name) != now.get(name)
    )


def changes(before: Project, now: Project) -> list[str]:
    """The differences between two projects, one line for each document: added,
    removed, or changed and in how many rows.
    """
    if before.cover == now.cover:
        lines = []
    else:
        lines = ["project.json: changed"]
    lines.extend(
        [] if before.event_list == now.event_list else ["events.json: changed"]
    )
    for collection in COLLECTIONS:
        old = {each.name: each for each in getattr(before, collection)}
        new = {each.name: each for each in getattr(now, collection)}
        for name in sorted(old.keys() | new.keys()):
            if name not in new:
                lines.append(f"{collection}/{name}.json: removed")
            elif name not in old:
                lines.append(f"{collection}/{name}.json: new")
            elif old[name] != new[name]:
                lines.append(
                    f"{collection}/{name}.json: {_how(old[name], new[name])}"
                )
    return lines


def _how(old: object, new: object) -> str:
    if not isinstance(old, Behavior) or not isinstance(new, Behavior):
        return "changed"
    parts = list(_rows(old, new))
    return ", ".join(parts) or "changed"


def _rows(old: Behavior, new: Behavior) -> Iterator[str]:
    same = old.by_id.keys() & new.by_id.keys()
    counts = {
        "new": len(new.by_id.keys() - old.by_id.keys()),
        "removed": len(old.by_id.keys() - new.by_id.keys()),
        "changed": sum(old.by_id[each] != new.by_id[each] for each in same),
    }
    for what, count in counts.items():
        if count:
            plural = ""
            if count > 1:
                plural = "s"
            yield f"{count} row{plural} {what}"
