"""A machine as a table: states down, triggers across."""
