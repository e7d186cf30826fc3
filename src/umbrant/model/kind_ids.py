"""The ids of the kinds that the engine runs by themselves, because rows refer
to each other by them.

A machine's states and transitions, and a utility's options and considerations,
are a closed set: their meaning is in the engine, not in a declaration alone.
What holds for kinds in general (can it fail, is it a gate, what does its
number mean) is asked of `catalog.declare.Kind` instead.
"""

USE_BEHAVIOR = "use_behavior"

MACHINE = "machine"
STATE = "state"
REGIONS = "regions"
FINAL = "final"
HISTORY = "history"
STATES = (STATE, REGIONS, FINAL, HISTORY)

WHEN = "when"
ON_EVENT = "on_event"
AFTER = "after"
ON_DONE = "on_done"
TRANSITIONS = (WHEN, ON_EVENT, AFTER, ON_DONE)

STATE_DONE = "done.state"
"""Before a dot and the id of a state: the internal event that this state is
done.
"""
ANY_EVENT = "*"
"""What a transition waits for that takes any event; after a dot, any kind of
one.
"""

ON_ENTER = "on_enter"
ON_LEAVE = "on_leave"

UTILITY = "utility"
OPTION = "option"
CONSIDER = "consider"
"""One consideration of an option."""

CLEAR = "clear"
"""Writes a key and leaves it without a value."""
IS_SET = "is_set"
"""The sense that knows an answer of a key without a value."""
