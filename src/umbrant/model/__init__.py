"""What an author writes, as frozen data. Nothing here runs; edits are
functions from a project to a project.
"""
