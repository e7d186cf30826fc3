"""Every kind of node: its parameters, its phrase, its help, what it can
return, and how it runs.
"""
