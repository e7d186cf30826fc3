"""A random walk over the whole window, for minutes or for hours."""
