"""Many takes of one scenario: how often, how long, and with which numbers."""
