"""A study in the window: many takes of the scenario, and how often each row
ran in them.
"""
