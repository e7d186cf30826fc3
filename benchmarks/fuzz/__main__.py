"""Attack something: `python -m benchmarks.fuzz WHAT [--attempts N] [--seed S]
[--keep]`.
"""

import argparse
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.fuzz import (
    commands,
    conditions,
    documents,
    faults,
    nodes,
    saves,
    takes,
    untrusted,
    windows,
)
from benchmarks.fuzz.tally import Tally

ATTACKS: dict[str, Callable[[int, int, Path, Tally], Tally]] = {
    "documents": documents.attack,
    "conditions": conditions.attack,
    "takes": takes.attack,
    "saves": saves.attack,
    "faults": faults.attack,
    "commands": commands.attack,
    "windows": windows.attack,
    "nodes": lambda _, __, folder, tally: nodes.attack(
        nodes.every_node(), folder, tally
    ),
    "untrusted": lambda _, __, folder, tally: untrusted.attack(
        folder, tally, by_commands=True
    ),
}
"""Each attack: given how often, a seed, and a folder of its own. The last two
try a list once.
"""


def main() -> None:
    """Attack, and say how often it failed; exits with 1 if it did."""
    parser = argparse.ArgumentParser(
        prog="python -m benchmarks.fuzz", description=__doc__
    )
    parser.add_argument("what", choices=ATTACKS)
    parser.add_argument("--attempts", type=int, default=1000)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="umbrant-fuzz-") as folder:
        for name in ("CONFIG", "STATE", "CACHE", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = str(Path(folder) / name)
        place = Path(folder) / "place"
        place.mkdir()
        tally = ATTACKS[args.what](
            args.attempts, args.seed, place, Tally(shows=True)
        )
    print(f"{args.what}: {tally.line}")
    sys.exit(1 if tally.failures else 0)


main()
