"""`python -m umbrant` is the command `umbrant`."""

from umbrant.cli import main

main()
