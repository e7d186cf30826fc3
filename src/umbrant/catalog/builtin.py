"""The catalog that Umbrant comes with."""

from umbrant.catalog import (
    acting,
    composites,
    conditions,
    decorators,
    going,
    keys,
    machines,
    senses,
    utilities,
    waiting,
)
from umbrant.catalog.declare import Catalog

MODULES = (
    composites,
    machines,
    utilities,
    conditions,
    going,
    waiting,
    acting,
    keys,
    decorators,
    senses,
)
"""The modules that declare kinds, in the order in which their kinds are listed."""

BUILTIN = Catalog.of(MODULES)
