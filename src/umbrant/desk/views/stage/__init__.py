"""The stage: the stand-in world, seen from above."""
