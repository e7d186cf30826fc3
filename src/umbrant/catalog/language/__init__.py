"""The one condition language: `distance(visitor) < 6 and not raining`.

Used by guards and condition rows alike. Parsed with Python's `ast` against a
short list of what is allowed, and never run as Python. What is unknown (a key
that is not set) makes an answer unknown, as in Kleene's three-valued logic:
`no and unknown` is no, `yes or unknown` is yes, all else is unknown. In the
end unknown counts as no.
"""
