"""Holding two takes against each other: where they part, and what followed."""
