"""Renaming something everywhere it is named: in rows, conditions, formulas,
cues and the cast.
"""
