"""The answers to why and why not, computed from what was recorded."""
