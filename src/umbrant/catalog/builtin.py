"""The catalog that Umbrant comes with."""

from umbrant.catalog.kind import Catalog
from umbrant.catalog.kinds import (
    composites,
    conditions,
    decorators,
    interaction,
    keys,
    machines,
    movement,
    senses,
    timing,
    utilities,
)

MODULES = (
    composites,
    machines,
    utilities,
    conditions,
    movement,
    timing,
    interaction,
    keys,
    decorators,
    senses,
)
"""The modules that declare kinds, in the order in which their kinds are
listed.
"""

BUILTIN = Catalog.of(MODULES)
