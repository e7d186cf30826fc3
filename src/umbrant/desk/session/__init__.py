"""What the window works on: project, take, selection, and the processes that
serve it.
"""
