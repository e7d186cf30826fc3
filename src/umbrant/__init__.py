"""Umbrant: write how an NPC makes up its mind, watch it happen, and ask why."""

__version__ = "0.1.0"
