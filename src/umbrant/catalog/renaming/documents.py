"""Renaming a document, which is also renaming its file."""

from typing import TypeVar

from umbrant.catalog.kind import Catalog
from umbrant.catalog.renaming.everywhere import with_scenarios
from umbrant.catalog.renaming.used import NamesDocument, rename_used
from umbrant.model.documents import Project
from umbrant.model.paths import PathError, put
from umbrant.model.values import Document


def rename_document(
    project: Project, catalog: Catalog, collection: str, old: str, new: str
) -> Project:
    """The project with a document called otherwise, which is also its file's
    name, and all that names it.

    Raises PathError if it cannot be called so.
    """
    documents = getattr(project, collection)
    if any(each.name == new for each in documents):
        raise PathError(f"another of the {collection} is called {new}")
    project = put(project, (collection, old, "name"), new)
    in_order = tuple(
        sorted(getattr(project, collection), key=lambda each: str(each.name))
    )
    project = project.model_copy(update={collection: in_order})
    for naming, field in _NAMES_DOCUMENTS[collection]:
        changed = tuple(
            _naming(each, field, old, new) for each in getattr(project, naming)
        )
        project = project.model_copy(update={naming: changed})
    if collection == "scenarios":
        project = project.model_copy(
            update={"cover": _naming(project.cover, "scenario", old, new)}
        )
    if collection == "behaviors":
        project = rename_used(
            project, catalog, NamesDocument.BEHAVIOR, old, new
        )
        project = with_scenarios(
            project,
            lambda member: _naming(member, "behavior", old, new),
            lambda cue, _: cue,
        )
    return project


_NAMES_DOCUMENTS = {
    "behaviors": (("behaviors", "variant_of"),),
    "blackboards": (("behaviors", "blackboard"), ("blackboards", "extends")),
    "stages": (("scenarios", "stage"),),
    "scenarios": (),
}
"""Which fields of which documents name a document of a collection, besides the
cover, rows and the cast.
"""


DocumentRenaming = TypeVar("DocumentRenaming", bound=Document)


def _naming(
    document: DocumentRenaming, field: str, old: str, new: str
) -> DocumentRenaming:
    """A document with another name in one of its fields, if the old one stands
    there.
    """
    if getattr(document, field) == old:
        return document.model_copy(update={field: new})
    return document
