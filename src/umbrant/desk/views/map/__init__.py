"""The map: a behavior drawn as a tree or a machine. Where things stand is
worked out here, without Qt, and drawn.
"""
