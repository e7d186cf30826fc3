"""Rolling a take: a scenario played from its first tick to its last, here or
in a worker process.
"""
