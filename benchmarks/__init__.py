"""Figures that are watched. `python -m benchmarks` prints them; each also as a
ratio, for machines are noisy.
"""
