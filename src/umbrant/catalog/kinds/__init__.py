"""The kinds of node that come with the program, one module for each family or
topic.
"""
