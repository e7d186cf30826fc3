"""Turns a behavior into something that ticks, against any world that the
catalog's protocol describes.
"""
