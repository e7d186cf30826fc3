"""How much one agent may do within a tick. Only machines can go on without
end, so their microsteps are counted.
"""

MOST_MICROSTEPS = 100
"""How many microsteps all machines of one agent may take within a tick,
together.
"""


class TickBudget:
    """The microsteps that one agent has left in the present tick. Its runner
    renews it, its machines spend it.
    """

    def __init__(self) -> None:
        self.taken = 0
        """How many microsteps have been taken. The runner puts it back to 0 as
        a tick begins.
        """

    @property
    def spent(self) -> bool:
        """Whether nothing is left: no machine of the agent takes another
        transition in this tick.
        """
        return self.taken >= MOST_MICROSTEPS

    def spend(self) -> None:
        """Count one microstep of a machine."""
        self.taken += 1
