"""The nearest change: what, made otherwise, would have had a row run at a
tick. Every change is played before it is told of.
"""
