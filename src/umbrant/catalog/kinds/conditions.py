"""Rows that ask a question and answer at once."""

from umbrant.catalog.declare import condition
from umbrant.catalog.world import Condition, Me


@condition("check {when}")
def check(me: Me, when: Condition) -> bool:
    """Succeeds when a condition holds, fails when it does not.

    Example: check `lamp_oil > 0.7`.

    For: condition, if, test, see, sight, notice, spot, near, distance, close to, visible, hidden,
    in range, query, is it, ask, detect, health, compare, alive, dead, sees, hears, has, carrying,
    day, night, weather, raining, low health, cooldown ready, alone, far, close, enemy near, is
    near, lost, angle, reachable.

    when: what to ask, in the condition language
    """
    return when.evaluate()
