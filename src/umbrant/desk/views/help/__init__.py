"""The help for a kind of node, with a small example that plays."""
