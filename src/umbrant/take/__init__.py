"""What happened: written as it goes, looked up at any tick, compared,
exported.
"""
