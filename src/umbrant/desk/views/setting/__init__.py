"""All of a project besides its rows, as sentences: keys, events, stages, casts
and cues.
"""
