"""Command lines of any kind: each ends with a code of ours, and with a message
where something is wrong.
"""

import io
import os
import random
import shutil
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from benchmarks.fuzz.documents import EXAMPLES, within
from benchmarks.fuzz.tally import Tally
from umbrant import cli
from umbrant.model.folder import read_project
from umbrant.rolling.roll import RollOrder, roll

LONGEST_S = 60
CODES = (0, 1, 2, 3)
COMMANDS = (
    "roll",
    "show",
    "why",
    "review",
    "export",
    "nodes",
    "schema",
    "open",
    "",
    "rol",
    "--help",
    "-h",
    "--version",
)
OPTIONS = (
    "--scenario",
    "--seed",
    "--seconds",
    "--out",
    "--trust",
    "--json",
    "--agent",
    "--at",
    "--not",
    "--format",
    "--headless",
    "--what",
)
VALUES = ("", "0", "-1", "1", "0.5", "nan", "inf", "-inf", "1e300", "9" * 400, "day", "odo", "guard", "csv", "jsonl", "1.1", "top", "\x1b[31m",
          "\u202e", "\udcff", "é", "x" * 5000, "--json", "..", "/", "None", "%s", "*")  # fmt: skip


def _prepare(folder: Path) -> list[str]:
    """Files of all kinds to name on a command line."""
    project = read_project(EXAMPLES / "first-steps")
    take = roll(
        RollOrder(
            project, project.cover.scenario, folder / "good.take", seconds=2.0
        )
    )
    named = [
        folder / name
        for name in (
            "a#b.take",
            "a?b.take",
            "a%41b.take",
            "a b.take",
            "\x1b[1m.take",
        )
    ]
    for each in named:
        shutil.copy(take, each)
    shutil.copytree(EXAMPLES / "first-steps", folder / "p#1")
    broken = Path(shutil.copytree(EXAMPLES / "first-steps", folder / "broken"))
    (broken / "behaviors" / "guard.json").write_text("{")
    cut = take.read_bytes()
    (folder / "cut.take").write_bytes(cut[: len(cut) // 2])
    (folder / "empty.take").write_bytes(b"")
    (folder / "text.take").write_text("no take")
    os.mkfifo(folder / "pipe.take")
    pipes = Path(shutil.copytree(EXAMPLES / "first-steps", folder / "pipes"))
    (pipes / "behaviors" / "guard.json").unlink()
    os.mkfifo(pipes / "behaviors" / "guard.json")
    os.mkfifo(folder / "pipe")
    (folder / "loop").symlink_to(folder / "loop")
    plain = [
        folder / name
        for name in (
            "p#1",
            "broken",
            "pipes",
            "cut.take",
            "empty.take",
            "text.take",
            "pipe.take",
            "pipe",
            "loop",
            "nowhere",
        )
    ]
    return [str(each) for each in (take, *named, *plain)] + [
        str(folder / ("x" * 300)),
        "/".join(["x"] * 3000),
    ]


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Try so many command lines."""
    files = _prepare(folder)
    kept = {
        each: Path(each).read_bytes()
        for each in files
        if len(each) < 4000 and Path(each).parent == folder and _is_plain(each)
    }

    def attempt(arguments: list[str]) -> str:
        how = within(LONGEST_S, lambda: _run(arguments))
        changed = [
            each
            for each, data in kept.items()
            if not _is_plain(each) or Path(each).read_bytes() != data
        ]
        return how or (f"it changed {changed}" if changed else "")

    lines = (
        (f"{seed}/{number}", _line(random.Random(f"{seed}/{number}"), files))
        for number in range(attempts)
    )
    return tally.each(
        ((f"{name} {line!r:.300}", line) for name, line in lines), attempt
    )


def _is_plain(path: str) -> bool:
    try:
        return Path(path).is_file() and not Path(path).name.startswith("out")
    except OSError:
        return False


def _line(rng: random.Random, files: list[str]) -> list[str]:
    command = rng.choice(COMMANDS)
    found = [command] if command else []
    if rng.random() < 0.9:
        found.append(rng.choice(files))
    for _ in range(rng.choice((0, 1, 2, 2, 3, 5))):
        option = rng.choice(OPTIONS)
        # Nothing that is there is named to be written over: that a take may
        # replace a take is as it should be.
        value = (
            "out.take"
            if option == "--out" and rng.random() < 0.5
            else rng.choice((*VALUES, *files[-14:]))
        )
        found += (
            [option]
            if option in ("--trust", "--json", "--headless")
            else [option, value]
        )
    if command in ("open", "", "rol"):
        found.append("--headless")
    return [each.replace("\0", "") for each in found]


def _run(arguments: list[str]) -> str:
    """Do what a command line says in this process; a window is never opened."""
    out, err = io.StringIO(), io.StringIO()
    before, display = (
        sys.argv,
        {
            name: os.environ.pop(name, "")
            for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        },
    )
    sys.argv = ["umbrant", *arguments]
    code: object = 0
    try:
        with redirect_stdout(out), redirect_stderr(err):
            cli.main()
    except SystemExit as ended:
        code = ended.code
    finally:
        sys.argv = before
        os.environ.update(
            {name: value for name, value in display.items() if value}
        )
    if code is None:
        code = 0
    if code not in CODES:
        return f"it ended with {code!r}"
    if "Traceback" in err.getvalue() or (
        code == 1 and not err.getvalue() and not out.getvalue()
    ):
        return f"it said {err.getvalue()[-500:]!r}"
    odd = [
        each
        for each in err.getvalue()
        if not each.isprintable() and each != "\n"
    ]
    return f"it said {odd[0]!r}" if odd else ""


def started(arguments: list[str]) -> int:
    """Do what a command line says as a user does; gives the exit code."""
    umbrant = Path(sys.executable).parent / "umbrant"
    return subprocess.run(
        [umbrant, *arguments], capture_output=True, timeout=LONGEST_S
    ).returncode
