"""The stand-in world: bodies, walls, senses, routes. Implements the catalog's
`World` protocol.
"""
