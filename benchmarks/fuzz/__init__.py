"""Attacks on everything that reads what a stranger may have written: each says
how many attempts and how many failures.

    python -m benchmarks.fuzz documents --attempts 50000 --seed 1
    python -m benchmarks.fuzz conditions | takes | nodes | commands | saves ...

They write to a folder of their own only, and open no device. A short run of
each is part of the checks.
"""
