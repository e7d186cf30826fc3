"""The views of the window, one module or package for each."""
