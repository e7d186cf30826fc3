"""Measure everything and print it as a table."""

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.figures import all_figures


def main() -> None:
    """Print each figure, its aim, and what it was measured against in the same run."""
    for figure in all_figures():
        print(f"{figure.name:58} {figure.value:>12}  (aim {figure.aim})   {figure.ratio}")


main()
