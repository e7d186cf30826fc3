"""The curve of a consideration, which can be dragged."""
