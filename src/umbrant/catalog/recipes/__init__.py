"""Recipes: rows that belong together under a word, such as *patrol* or *chase
and give up*, with the keys that they need.
"""
