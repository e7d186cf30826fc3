"""How the things in a project may be named."""

from typing import Annotated

from pydantic import StringConstraints

Slug = Annotated[
    str, StringConstraints(pattern=r"^[a-z][a-z0-9_-]*$", max_length=60)
]
"""The name of a document, which is also its file's name."""

KeyName = Annotated[
    str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*$", max_length=60)
]
"""The name of a key: small letters, digits and underscores, so that conditions
can be written with it.
"""

RowId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{2,12}$")]
"""A row's short stable id. It never changes, whatever is renamed or moved."""


FileName = Annotated[
    str, StringConstraints(pattern=r"^\w[\w .-]*\.py$", max_length=100)
]
"""The name of a file of nodes."""

DottedName = Annotated[
    str,
    StringConstraints(
        pattern=r"^[a-z][a-z0-9_]*(\.[a-z0-9_]+)*$", max_length=80
    ),
]
"""The name of an event, its parts joined by dots: `alarm.bell` is a kind of
`alarm`.
"""
