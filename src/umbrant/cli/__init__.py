"""The command line, one module for each command."""

import signal


def main() -> None:
    """Run the command line."""
    try:
        from umbrant.cli.app import main as run
    except KeyboardInterrupt:
        # It takes a moment to load, and nothing has been begun yet.
        raise SystemExit(128 + signal.SIGINT) from None
    run()
