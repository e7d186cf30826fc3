"""The catalog that Umbrant comes with."""

from umbrant.catalog import acting, composites, conditions, decorators, going, keys, senses, waiting
from umbrant.catalog.declare import Catalog

BUILTIN = Catalog.of([composites, conditions, going, waiting, acting, keys, decorators, senses])
