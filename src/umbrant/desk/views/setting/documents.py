"""What the lines of all documents have in common: their titles, and the lines
that an edit did not touch.
"""

from collections.abc import Callable, Iterable, Sequence

from umbrant.catalog.kind import Catalog
from umbrant.catalog.params import Quantity
from umbrant.catalog.renaming.documents import rename_document
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.catalog.validation.boards import value_fits
from umbrant.desk.chips.values import Choice
from umbrant.desk.views.setting.fields import (
    Addition,
    LineWriter,
    SettingLine,
    point_text,
    read_point,
)
from umbrant.model.behaviors import Behavior, Blackboard, Key
from umbrant.model.documents import Project
from umbrant.model.paths import Path, at, put
from umbrant.model.staging import Prop, Scenario, Stage
from umbrant.model.values import KeyType, Point, value_text

SettingMemory = dict[Path, tuple[tuple[object, ...], list[SettingLine]]]
"""The lines that were written of a path last, and all that they were written
from.
"""

SHARE = Quantity("", 0, 1, 0.05)


class DocumentLines:
    """Writes lines about the documents of a project. With a memory of earlier
    ones only those are written anew that an edit touched.
    """

    def __init__(
        self, project: Project, catalog: Catalog, memory: SettingMemory
    ) -> None:
        self.project = project
        self.catalog = catalog
        self._memory = memory

    def kept(
        self,
        path: Path,
        made_from: tuple[object, ...],
        write: Callable[[], Iterable[SettingLine]],
    ) -> list[SettingLine]:
        """The lines of a path: those that were written last, if they were made
        from the same.
        """
        kept = self._memory.get(path)
        if kept is None or kept[0] != made_from:
            kept = self._memory[path] = made_from, list(write())
        return kept[1]

    def document(self, kind: str, path: Path) -> LineWriter:
        """A document's title, and what it is called in files."""

        def rename(project: Project, value: object) -> Project:
            name = str(value).strip().removesuffix(".json")
            return rename_document(
                project, self.catalog, str(path[0]), str(path[1]), name
            )

        say = (
            LineWriter(self.project, path)
            .kind(kind)
            .name("title", "title")
            .words("in")
        )
        say.text(
            "name",
            "name of the file",
            put=rename,
            help=f"the {kind} is kept in {path[0]}/{path[1]}.json",
        )
        return say.show(f"{path[1]}.json")

    def name(
        self, say: LineWriter, label: str, named: NamesDocument, old: str
    ) -> None:
        """The name of a part of a document, renamed wherever it is used."""
        path = say.path

        def rename(project: Project, value: object) -> Project:
            renamed = put(project, (*path, "name"), value)
            return rename_used(renamed, self.catalog, named, old, str(value))

        say.name("name", label, put=rename)

    def heading(
        self, title: str, path: Path, *additions: Addition, help: str
    ) -> SettingLine:
        """The line above the documents of a kind."""
        say = LineWriter(self.project, path).title(title).words(help)
        return SettingLine(path, 0, say.pieces, additions, help, heading=True)

    def prop(
        self, path: Path, prop: Prop, depth: int, *adds: Addition
    ) -> SettingLine:
        """The line of a prop, at a depth."""
        say = LineWriter(self.project, path).kind("prop")
        self.name(say, "name of the prop", NamesDocument.PROP, prop.name)
        say.words("of the group").text("group", "group").words("at").point(
            "at", "where"
        )
        say.words("holds").number("level", "level", SHARE).words(
            "loses"
        ).number("drain_per_s", "drain", Quantity("", 0))
        return say.words("a second").line(depth, *adds)

    def value(self, say: LineWriter, name: str, key: Key) -> None:
        """Write the chip of a value of a key, which stands under `name` in the
        document.
        """
        if key.type is KeyType.NUMBER:
            say.number(
                name,
                "value",
                Quantity(key.unit, key.low, key.high, 0.1),
                empty="not set",
            )
        elif key.type is KeyType.YES_NO:
            say.pick(
                name,
                "value",
                [
                    Choice("yes", True),
                    Choice("no", False),
                    Choice("not set", None),
                ],
            )
        elif key.type is KeyType.POINT:
            path = (*say.path, name)
            found = at(self.project, path)
            if isinstance(found, tuple):
                shown = point_text(found)
            else:
                shown = value_text(found)
            say.text(name, "value", empty="not set", read=_read_optional_point)
            say.show(shown)
        else:
            say.optional_text(name, "value", empty="not set")
        found = at(self.project, (*say.path, name))
        if found is not None and not value_fits(key, found):
            say.mark()

    def many(
        self,
        path: Path,
        what: str,
        adds: tuple[Addition, ...],
        kind: str,
        firsts: Sequence[SettingLine],
    ) -> SettingLine:
        """The line of many of a kind, which opens."""
        say = LineWriter(
            self.project, (*path, f"many {firsts[0].path[-1]}")
        ).kind(what)
        say.title(kind).words(f"× {len(firsts)} ·")
        names = [line.pieces[1].text for line in firsts]
        if len(names) > 3:
            names = [*names[:3], "…"]
        say.words(", ".join(names))
        line = say.line(2, *adds, help="F opens it", removable=False)
        line.begins_closed = True
        return line


def choices_of(
    documents: Iterable[Behavior | Blackboard | Stage | Scenario],
) -> list[Choice]:
    """What a chip offers to choose one of some documents, by their titles."""
    return [Choice(each.title, each.name, each.name) for each in documents]


def _read_optional_point(text: str) -> Point | None:
    if text.strip() in ("", "not set"):
        return None
    return read_point(text)
