"""Running a project's own nodes. Only what plays imports this: a player
process, and a game that has its own.

Nothing here is asked before the project has been trusted.
"""

import sys
from dataclasses import replace
from types import ModuleType

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Catalog, Kind
from umbrant.engine.project_calls import (
    UNWATCHED,
    CallWatch,
    described,
    line_of,
)
from umbrant.model.behaviors import NodeFile
from umbrant.model.documents import Project
from umbrant.model.folder import NODES
from umbrant.model.problems import Problem, ProjectError
from umbrant.project_nodes import project_catalog


def running_catalog(
    project: Project,
    *,
    trusted: bool,
    watch: CallWatch = UNWATCHED,
    base: Catalog = BUILTIN,
) -> Catalog:
    """The catalog to play a project with. If it is trusted its node files are
    run, and its own nodes can be.

    Raises ProjectError where a file fails as it is run. What a file declares
    is what `project_catalog` reads in it; that also holds for a file that
    declares something else as it runs.
    """
    declared = project_catalog(project, base)
    if not trusted:
        return declared.catalog
    kinds = dict(declared.catalog.kinds)
    for file in project.nodes:
        path = f"{NODES}/{file.name}"
        module = _run(file, path, watch)
        for kind in [each for each in kinds.values() if each.own == path]:
            kinds[kind.id] = _completed(kind, module, path)
    return Catalog(kinds)


def _run(file: NodeFile, path: str, watch: CallWatch) -> ModuleType:
    """Run a file of nodes as a module. Raises ProjectError."""
    module = ModuleType(f"nodes.{file.name.removesuffix('.py')}")
    module.__file__ = path
    # A module that is not known by its name has no dataclasses, no pickles,
    # and no way to import itself.
    sys.modules[module.__name__] = module
    watch.enter(f"{path}\0001\0\0\0".encode("utf-8", "backslashreplace"))
    try:
        # Its user has trusted it.
        exec(compile(file.text, path, "exec"), module.__dict__)  # noqa: S102
    except KeyboardInterrupt:
        raise
    except BaseException as error:
        if isinstance(error, SyntaxError):
            line = getattr(error, "lineno", None)
        else:
            line = line_of(error, path)
        where = ""
        if line:
            where = f"line {line}: "
        raise ProjectError(
            [
                Problem(
                    path,
                    "",
                    f"{where}{described(error)}.",
                    "Mend it, and roll again.",
                )
            ]
        ) from None
    finally:
        watch.leave()
    return module


def _completed(kind: Kind, module: ModuleType, path: str) -> Kind:
    """A declared kind with the function that runs it. Raises ProjectError
    where the file has none such any more.
    """
    made = next(
        (
            each
            for each in vars(module).values()
            if type(each) is Kind and each.id == kind.id
        ),
        None,
    )
    if made is None:
        what = f"line {kind.own_line}: `{kind.id}` is no node any more once the file has been run."
        raise ProjectError(
            [
                Problem(
                    path, "", what, "Do not use the name for something else."
                )
            ]
        )
    return replace(kind, run=made.run, hooks=made.hooks)
