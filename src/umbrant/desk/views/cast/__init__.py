"""The cast of a scenario as a table: the chips of the setting's lines, names
down.
"""
