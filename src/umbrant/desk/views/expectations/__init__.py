"""The project's expectations as sentences."""
