"""Rows that ask a question and answer at once."""

from umbrant.catalog.declare import condition
from umbrant.catalog.world import Condition, Me


@condition("check {when}")
def check(me: Me, when: Condition) -> bool:
    """Succeeds when a condition holds, fails when it does not.

    Example: check `lamp_oil > 0.7`.

    when: what to ask, in the condition language
    """
    return when.evaluate()
