"""Decision maps: which row would run at a tick, for every pair of values of
two inputs.
"""
