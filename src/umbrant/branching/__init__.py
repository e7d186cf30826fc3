"""What if, from here: a take that goes on from one tick of another with
something done at it.
"""
