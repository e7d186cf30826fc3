"""What must be so in takes: conditions over the whole of a take, and
expectations made of them.
"""
