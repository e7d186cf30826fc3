"""A short random walk over the whole window; `python -m benchmarks.soak` walks
for hours.
"""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_a_random_walk_finds_nothing_that_goes_wrong(tmp_path: Path) -> None:
    command = [
        sys.executable,
        "-m",
        "benchmarks.soak",
        "--actions",
        "240",
        "--seed",
        "check",
        "--keep",
        str(tmp_path),
    ]
    done = subprocess.run(
        command,
        cwd=ROOT,
        env=dict(os.environ),
        capture_output=True,
        text=True,
        check=False,
    )
    logs = "".join(
        path.read_text() for path in sorted(tmp_path.glob("*.jsonl"))
    )
    failures = "\n".join(
        line for line in logs.splitlines() if '"failure"' in line
    )
    assert done.stdout.splitlines()[-1:] == ["actions 240 failures 0"], (
        f"{failures}\n{done.stderr}"
    )


def test_what_a_walk_did_can_be_played_again(tmp_path: Path) -> None:
    first = [
        "--actions",
        "40",
        "--seed",
        "again",
        "--keep",
        str(tmp_path / "first"),
    ]
    command = [sys.executable, "-m", "benchmarks.soak"]
    subprocess.run(
        [*command, *first],
        cwd=ROOT,
        env=dict(os.environ),
        capture_output=True,
        check=True,
    )
    (log,) = (tmp_path / "first").glob("*.jsonl")
    again = ["--play", str(log), "--keep", str(tmp_path / "second")]
    done = subprocess.run(
        [*command, *again],
        cwd=ROOT,
        env=dict(os.environ),
        capture_output=True,
        text=True,
        check=True,
    )
    assert done.stdout.splitlines()[-1] == "actions 40 failures 0"
    (second,) = (tmp_path / "second").glob("*.jsonl")
    assert second.read_text() == log.read_text()
