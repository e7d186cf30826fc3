"""What an author can do: every action with its keys, and the functions behind
them.
"""
