"""Measure everything, or some groups of it, and print it as a table."""

import argparse
import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.figures import GROUPS, figures_of


def main() -> None:
    """Print each figure, its aim, and what it was measured against in the same
    run.
    """
    parser = argparse.ArgumentParser(
        prog="python -m benchmarks", description=__doc__
    )
    parser.add_argument(
        "groups", nargs="*", metavar="GROUP", help=f"of {', '.join(GROUPS)}"
    )
    groups = parser.parse_args().groups or GROUPS
    unknown = [group for group in groups if group not in GROUPS]
    if unknown:
        parser.error(
            f"there is no group '{unknown[0]}'; there are {', '.join(GROUPS)}"
        )
    for figure in figures_of(groups):
        print(
            f"{figure.name:58} {figure.value:>12}  (aim {figure.aim})   {figure.ratio}"
        )


main()
