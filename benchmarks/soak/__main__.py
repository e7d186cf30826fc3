"""A random walk over the whole window: `python -m benchmarks.soak [--minutes N
| --actions N] [--seed S]`.

It presses keys, clicks, drags, types, answers dialogs, opens, makes, switches,
reverts and closes projects, all drawn from a seed. Each action is written down
before it is done, so that one that fails can be played again: `python -m
benchmarks.soak --play FILE`. What counts as a failure is an exception, an
error in the log, a warning of Qt, or the end of the process. It ends with a
line `actions N failures M`, and with exit code 1 if there were any.

The walk is done in a process of its own, on the platform that QT_QPA_PLATFORM
names (offscreen if none is named), so that a crash is counted too. It touches
no file outside a folder of its own.
"""

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

A_WALK = 4000
"""How many actions one process does before another goes on: each begins from a
fresh window.
"""
LONGEST_SILENCE_S = 120.0
"""For how long a walk may write down nothing before it counts as hanging."""


def soak(args: argparse.Namespace) -> int:
    """Have walk after walk done until the time is up or so many actions are
    done; print what came of it.
    """
    folder = Path(tempfile.mkdtemp(prefix="umbrant-soak-"))
    logs = Path(args.keep) if args.keep else folder
    logs.mkdir(parents=True, exist_ok=True)
    until = time.monotonic() + args.minutes * 60 if args.minutes else None
    done = failures = number = 0
    while (until is None and done < args.actions) or (
        until is not None and time.monotonic() < until
    ):
        number += 1
        log = logs / f"walk-{args.seed}-{number}.jsonl"
        # One that an earlier soak has left would count as hanging.
        log.unlink(missing_ok=True)
        wanted = min(A_WALK, args.actions - done) if until is None else A_WALK
        did, failed = _one_walk(
            folder / str(number),
            log,
            f"{args.seed}/{number}",
            wanted,
            args.play,
        )
        done, failures = done + did, failures + failed
        print(
            f"walk {number}: {did} actions, {failed} failures"
            + (f", see {log}" if failed else ""),
            flush=True,
        )
        if args.play or (did == 0 and failed):
            break
    print(f"actions {done} failures {failures}")
    if not failures or not args.keep:
        shutil.rmtree(folder, ignore_errors=not failures)
    return 1 if failures else 0


def _one_walk(
    folder: Path, log: Path, seed: str, actions: int, play: str
) -> tuple[int, int]:
    """Have one walk done by another process. Gives how many actions it did,
    and how many failures there were.
    """
    folder.mkdir(parents=True)
    command = [
        sys.executable,
        "-X",
        "faulthandler",
        "-m",
        "benchmarks.soak.walker",
        "--folder",
        str(folder),
    ]
    command += ["--log", str(log), "--seed", seed, "--actions", str(actions)]
    if play:
        command += ["--play", play]
    environment = {
        **os.environ,
        **{
            f"XDG_{name}_HOME": str(folder / name)
            for name in ("CONFIG", "STATE", "CACHE", "DATA")
        },
    }
    environment.setdefault("QT_QPA_PLATFORM", "offscreen")
    with (folder / "stderr").open("w") as errors:
        process = subprocess.Popen(
            command,
            stdout=subprocess.PIPE,
            stderr=errors,
            text=True,
            env=environment,
        )
        while process.poll() is None:
            time.sleep(0.5)
            if (
                log.exists()
                and time.time() - log.stat().st_mtime > LONGEST_SILENCE_S
            ):
                process.kill()
                _write_down(log, {"failure": "it hangs"})
        out = process.stdout.read() if process.stdout else ""
    lines = log.read_text().splitlines() if log.exists() else []
    if process.returncode == 0 and out.strip():
        output = json.loads(out.strip().splitlines()[-1])
        return output["done"], output["failures"]
    last = (folder / "stderr").read_text()[-4000:]
    _write_down(
        log,
        {
            "failure": f"the process ended with {process.returncode}",
            "stderr": last,
        },
    )
    return sum('"step"' in line for line in lines), 1 + sum(
        '"failure"' in line for line in lines
    )


def _write_down(log: Path, entry: dict[str, object]) -> None:
    with log.open("a") as file:
        file.write(json.dumps(entry) + "\n")


def main() -> int:
    """Read the arguments."""
    parser = argparse.ArgumentParser(
        description=(__doc__ or "").splitlines()[0]
    )
    parser.add_argument(
        "--minutes",
        type=float,
        default=0.0,
        help="for how long; without it, --actions counts",
    )
    parser.add_argument("--actions", type=int, default=300)
    parser.add_argument("--seed", default="1")
    parser.add_argument(
        "--keep", default="", help="a folder in which what was done is kept"
    )
    parser.add_argument(
        "--play", default="", help="a file of what was done, to be done again"
    )
    return soak(parser.parse_args())


if __name__ == "__main__":
    sys.exit(main())
