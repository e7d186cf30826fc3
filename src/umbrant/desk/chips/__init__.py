"""Rows as sentences of chips: what a sentence is made of, how it is laid out,
drawn and edited.
"""
