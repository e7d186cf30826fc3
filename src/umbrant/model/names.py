"""How the things in a project may be named."""

from collections.abc import Mapping
from typing import Annotated

from pydantic import StringConstraints

_SLUG, _KEY_NAME = r"^[a-z][a-z0-9_-]*$", r"^[a-z][a-z0-9_]*$"
_ROW_ID = r"^[a-z0-9]{2,12}$"
_FILE_NAME = r"^\w[\w .-]*\.py$"
_DOTTED_NAME = r"^[a-z][a-z0-9_]*(\.[a-z0-9_]+)*$"

PATTERNS_IN_WORDS: Mapping[str, str] = {
    _SLUG: "write it with small letters, digits, - and _, a letter first",
    _KEY_NAME: "write it with small letters, digits and _, a letter first",
    _ROW_ID: "write it with 2 to 12 small letters and digits",
    _FILE_NAME: "write it with letters, digits, blanks, dots and dashes, and .py at the end",
    _DOTTED_NAME: "write it with small letters, digits and _, its parts joined by dots",
}
"""How a name is to be written, for who does not read patterns."""

Slug = Annotated[str, StringConstraints(pattern=_SLUG, max_length=60)]
"""The name of a document, which is also its file's name."""

KeyName = Annotated[str, StringConstraints(pattern=_KEY_NAME, max_length=60)]
"""The name of a key: small letters, digits and underscores, so that conditions
can be written with it.
"""

RowId = Annotated[str, StringConstraints(pattern=_ROW_ID)]
"""A row's short stable id. It never changes, whatever is renamed or moved."""


FileName = Annotated[
    str, StringConstraints(pattern=_FILE_NAME, max_length=100)
]
"""The name of a file of nodes."""

DottedName = Annotated[
    str, StringConstraints(pattern=_DOTTED_NAME, max_length=80)
]
"""The name of an event, its parts joined by dots: `alarm.bell` is a kind of
`alarm`.
"""
