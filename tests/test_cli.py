"""The command line: what it prints, and that mistakes are said on stderr with
the right exit code.
"""

import json
import os
import re
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from benchmarks.fuzz.hostile_nodes import HostileNode, action
from benchmarks.fuzz.nodes import project_with

from tests.conftest import DEMO
from tests.reasons.test_headlines import RING
from tests.small import played, project, row
from tests.waiting import PATIENCE_S, until
from umbrant.catalog.kind import Family
from umbrant.catalog.templates.node_file import new_node_file
from umbrant.cli.story import print_story
from umbrant.model.folder import save_project
from umbrant.reasons.why import Explainer
from umbrant.take.reader import read_take


@pytest.fixture
def take(umbrant: Any, tmp_path: Path) -> Path:
    code, out, err = umbrant(
        "roll", DEMO, "--seconds", "12", "--out", tmp_path / "t.take", "--json"
    )
    assert (code, err) == (0, "")
    return Path(json.loads(out)["take"])


def test_headless_prints_what_the_warden_did_in_a_screenful(
    umbrant: Any,
) -> None:
    code, out, err = umbrant(DEMO, "--headless")
    assert (code, err) == (0, "")
    lines = out.splitlines()
    assert len(lines) <= 26
    assert (
        lines[0] == "Lantern Quay, scenario 'dusk', seed 11: 42.0 s, 840 ticks"
    )
    assert any(
        "Escort the visitor: can see visitor within 8 m is yes" in line
        for line in lines
    )
    assert Path(lines[-1].removeprefix("The take is in ")).is_file()


def test_without_a_display_the_window_is_not_tried(
    umbrant: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    assert umbrant(DEMO)[0] == 0
    code, _, err = umbrant()
    assert code == 1
    assert "name the folder of a project" in err


def test_roll_takes_a_seed_a_length_and_a_place(
    umbrant: Any, tmp_path: Path
) -> None:
    code, out, _ = umbrant(
        "roll",
        DEMO,
        "--seed",
        "3",
        "--seconds",
        "2",
        "--out",
        tmp_path / "x.take",
    )
    assert code == 0
    assert "seed 3: 2.0 s, 40 ticks" in out
    assert (tmp_path / "x.take").is_file()


def test_show_prints_each_rows_status_and_value(
    umbrant: Any, take: Path
) -> None:
    code, out, _ = umbrant("show", take, "--agent", "odo", "--at", "5")
    assert code == 0
    refill = next(line for line in out.splitlines() if "Refill" in line)
    assert refill.split() == ["1.3.4", "Refill", "running", "1.4", "s"]
    data = json.loads(
        umbrant("show", take, "--agent", "odo", "--at", "5", "--json")[1]
    )
    assert (data["tick"], len(data["rows"])) == (100, 18)


def test_show_steps_prints_what_happened_within_the_tick_in_order(
    umbrant: Any, take: Path
) -> None:
    code, out, _ = umbrant(
        "show", take, "--agent", "odo", "--at", "0", "--steps"
    )
    assert code == 0
    assert out.splitlines()[0] == "Odo at 0.00 s (tick 0)"
    does = [line for line in out.splitlines() if "Escort" in line]
    assert [line.split()[1] for line in does] == ["1.1", "1.1"]
    assert "its guard finds: can see visitor within 8 m is no" in does[0]
    assert does[1].endswith(
        "Escort the visitor is refused: its guard says no."
    )
    data = json.loads(
        umbrant(
            "show", take, "--agent", "odo", "--at", "0", "--steps", "--json"
        )[1]
    )
    steps = data["steps"]
    assert [each["step"] for each in steps] == sorted(
        each["step"] for each in steps
    )
    refused = next(each for each in steps if each["kind"] == "refused")
    assert (refused["row"], refused["cause"]) == ("esc", {"kind": "guard"})


def test_a_take_is_reviewed_as_the_window_does(
    umbrant: Any, take: Path
) -> None:
    code, out, _ = umbrant("review", take)
    assert code == 0
    assert out.splitlines()[-1].endswith(" findings")
    found = json.loads(umbrant("review", take, "--json")[1])["findings"]
    assert "never_ran" in {each["rule"] for each in found}
    assert all(each["agents"] for each in found)


def test_the_time_of_a_ring_is_spent_on_where_each_tick_ends(
    capsys: pytest.CaptureFixture[str],
) -> None:
    """Not on all that was tried within it: the seconds add up to the take's."""
    made = project(*RING, seconds=2.0)
    (scenario,) = made.scenarios
    second = scenario.cast[0].model_copy(update={"name": "b"})
    both = scenario.model_copy(update={"cast": (*scenario.cast, second)})
    print_story(played(made.model_copy(update={"scenarios": (both,)})))
    line = next(
        each
        for each in capsys.readouterr().out.splitlines()
        if each.startswith("b: ")
    )
    seconds = [float(each) for each in re.findall(r"([\d.]+) s[,;]", line)]
    assert sum(seconds) == pytest.approx(2.0)


def test_rows_that_take_turns_fill_one_line(
    capsys: pytest.CaptureFixture[str],
) -> None:
    """And whatever else changes all the time, no more than a screenful."""
    rows = [
        row("mm", "machine"),
        row("aa", "state", "mm", name="Go"),
        row("t1", "after", "aa", name="Enough", time=0.1, to="bb"),
        row("bb", "state", "mm", name="Come"),
        row("t2", "after", "bb", name="Again", time=0.1, to="aa"),
    ]
    print_story(played(project(*rows, seconds=4.0)))
    lines = capsys.readouterr().out.splitlines()
    assert [line.split("  ")[-1].strip() for line in lines[3:7]] == [
        "Go: mm begins in it",
        "Come: Enough fired after 0.10 s",
        "Go: Again fired after 0.10 s",
        "Go and Come take turns 40 times, until 3.90 s",
    ]
    third = [
        *rows[:4],
        row("t2", "after", "bb", name="On", time=0.1, to="cc"),
        row("cc", "state", "mm", name="Stay"),
        row("t3", "after", "cc", name="Round", time=0.1, to="aa"),
    ]
    print_story(played(project(*third, seconds=9.0)))
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) < 50
    assert "  and 50 lines more: --json has all" in lines[-3]


def test_why_and_why_not(umbrant: Any, take: Path) -> None:
    out = umbrant("why", take, "--agent", "odo", "--at", "5")[1]
    assert out.splitlines()[0] == "why Odo is running 1.3.4, at 5.00 s"
    for said in ("1.1", "esc", "escort the visitor"):
        out = umbrant(
            "why", take, "--agent", "odo", "--at", "5", "--not", said
        )[1]
        assert (
            "Escort the visitor was refused: can see visitor within 8 m is no"
            in out
        )
    data = json.loads(
        umbrant(
            "why",
            take,
            "--agent",
            "odo",
            "--at",
            "5",
            "--not",
            "1.1",
            "--json",
        )[1]
    )
    assert data["lines"][0]["row"] == "esc"


def test_two_rolls_export_equal_bytes(
    umbrant: Any, take: Path, tmp_path: Path
) -> None:
    again = umbrant(
        "roll", DEMO, "--seconds", "12", "--out", tmp_path / "u.take"
    )
    assert again[0] == 0
    for form in ("csv", "jsonl"):
        assert (
            umbrant("export", take, "--format", form)[1]
            == umbrant("export", tmp_path / "u.take", "--format", form)[1]
        )


def test_nodes_lists_every_kind(umbrant: Any) -> None:
    kinds = json.loads(umbrant("nodes", "--json")[1])
    assert {kind["family"] for kind in kinds} == {
        str(family) for family in Family
    }
    assert "move_to" in umbrant("nodes")[1]


def test_nodes_says_all_about_one_kind(umbrant: Any) -> None:
    code, said, _ = umbrant("nodes", "move_to")
    assert code == 0
    lines = said.splitlines()
    assert lines[0] == (
        "move_to (action): move to {target} within {reach}( at a {pace})"
    )
    assert "  pace (choice, 'walk' or 'run', else walk): at what pace" in lines
    assert "  success: it is within reach, along the way it takes" in lines
    assert lines[-1].startswith("Example: move to")
    (kind,) = json.loads(umbrant("nodes", "is_set", "--json")[1])
    assert kind["id"] == "is_set"
    for name, ways_out in (
        ("move_too", "Did you mean 'move_to'?"),
        ("x" * 5000, "no such kind of node"),
    ):
        code, _, wrong = umbrant("nodes", name)
        assert code == 1
        assert ways_out in wrong


def test_nodes_of_a_project_lists_its_own_and_names_what_is_wrong(
    umbrant: Any, demo: Path
) -> None:
    (demo / "nodes").mkdir()
    file = new_node_file("Ring the bell", [], [])
    (demo / "nodes" / file.name).write_text(file.text)
    (own,) = json.loads(umbrant("nodes", str(demo), "--json")[1])
    assert (own["id"], own["own"]) == (
        "ring_the_bell",
        "nodes/ring_the_bell.py",
    )
    assert own["params"][0]["default"] == {"mean": 1.5, "half_width": 0.0}
    assert "move_to" not in umbrant("nodes", str(demo))[1]
    (demo / "nodes" / file.name).write_text("def (:")
    code, _, said = umbrant("nodes", str(demo))
    assert code == 1
    assert "nodes/ring_the_bell.py: line 1" in said


def test_schema_is_json(umbrant: Any) -> None:
    assert json.loads(umbrant("schema")[1])["$schema"].endswith(
        "2020-12/schema"
    )


@pytest.mark.parametrize(
    "args", [["revew"], ["revew", str(DEMO)], ["r" * 5000, "x"]]
)
def test_a_word_that_is_no_command_opens_no_window(
    args: list[str], umbrant: Any
) -> None:
    code, _, errors = umbrant(*args)
    assert code == 2
    assert "is neither a command nor a folder here" in errors
    assert "Traceback" not in errors


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (["roll", "no-such-folder"], "There is no such folder."),
        (["roll", str(DEMO), "--scenario", "dsk"], "Did you mean 'dusk'?"),
        (["show", "no.take", "--agent", "odo", "--at", "1"], "no such take"),
        (
            [
                "roll",
                str(DEMO),
                "--seconds",
                "1",
                "--out",
                "/proc/nowhere/x.take",
            ],
            "cannot be written",
        ),
    ],
)
def test_a_mistake_in_the_input_is_one_readable_message_and_exit_code_1(
    umbrant: Any, args: list[str], says: str
) -> None:
    code, out, err = umbrant(*args)
    assert (code, out) == (1, "")
    assert says in err
    assert "Traceback" not in err


def test_asking_about_what_is_not_there_is_a_mistake(
    umbrant: Any, take: Path
) -> None:
    for args, says in (
        (["--agent", "oddo", "--at", "1"], "Did you mean 'odo'?"),
        (["--agent", "odo", "--at", "99"], "the take ends at 12.00 s"),
        (["--agent", "odo", "--at", "1", "--not", "7.7"], "has no row '7.7'"),
        (
            ["--agent", "odo", "--at", "1", "--not", "escrot the visitor"],
            "Did you mean 'Escort the visitor'?",
        ),
        (
            ["--agent", "brine", "--at", "1", "--not", "Ring"],
            "Brine has several rows 'Ring': 1.1.2.2.1, 1.2.2.1.2. Give the "
            "number of one.",
        ),
    ):
        code, _, err = umbrant("why", take, *args)
        assert code == 1
        assert says in err


@pytest.mark.parametrize(
    "args",
    [
        ["roll"],
        ["show", "x.take"],
        ["export", "x.take", "--format", "xml"],
        ["roll", "a", "--bad"],
    ],
)
def test_wrong_usage_is_exit_code_2(umbrant: Any, args: list[str]) -> None:
    assert umbrant(*args)[0] == 2


def test_a_pipe_that_is_closed_early_is_no_error(take: Path) -> None:
    command = f"{sys.executable} -m umbrant export {take} | head -1"
    done = subprocess.run(
        ["sh", "-c", command],
        capture_output=True,
        text=True,
        check=False,
        env=dict(os.environ),
    )
    assert done.stdout.startswith("tick,seconds")
    assert done.stderr == ""


def test_review_tells_what_it_found_and_fails_on_errors(
    umbrant: Any, tmp_path: Path
) -> None:
    assert umbrant("review", DEMO) == (0, "Nothing was found.\n", "")
    folder = tmp_path / "quay"
    shutil.copytree(DEMO, folder)
    scenario = folder / "scenarios" / "dusk.json"
    scenario.write_text(
        scenario.read_text().replace(
            '"start": [10.0, 10.0]', '"start": [7, 12.5]'
        )
    )
    code, out, _ = umbrant("review", folder, "--json")
    assert code == 1
    assert [each["rule"] for each in json.loads(out)["findings"]] == [
        "start_off_ground"
    ]
    code, out, _ = umbrant("review", folder)
    assert out.startswith(
        "error: scenarios/dusk.json: Odo starts at (7, 12.5), which is not walkable ground."
    )


@pytest.mark.parametrize(
    ("number", "code"), [(signal.SIGINT, 130), (signal.SIGTERM, 143)]
)
def test_a_signal_stops_a_roll_whose_take_is_closed_and_said_to_be_cut_short(
    tmp_path: Path, number: int, code: int
) -> None:
    path = tmp_path / "t.take"
    command = [
        sys.executable,
        "-m",
        "umbrant",
        "roll",
        str(DEMO),
        "--seconds",
        "3000",
        "--out",
        str(path),
    ]
    rolling = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    until(lambda: path.exists() and path.stat().st_size)
    rolling.send_signal(number)
    out, err = rolling.communicate(timeout=PATIENCE_S)
    assert (rolling.returncode, out) == (code, "")
    assert err.startswith(f"The roll was stopped by {number.name} at tick ")
    assert str(path) in err
    take = read_take(path)
    assert not take.is_complete
    assert f"stopped by {number.name} at tick {take.ticks} of " in take.ended


def test_output_that_cannot_be_written_is_one_line_and_a_code() -> None:
    with open("/dev/full", "w") as full:
        command = [sys.executable, "-m", "umbrant", "nodes"]
        done = subprocess.run(
            command,
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
        )
    assert done.returncode == 1
    assert (
        done.stderr
        == "The output could not be written: No space left on device.\n"
    )


def test_a_take_that_was_cut_short_says_so_in_every_output(
    umbrant: Any, tmp_path: Path
) -> None:
    project = project_with(
        HostileNode("spins", action("yield\nyield\nwhile True: pass"))
    )
    save_project(project, tmp_path / "p")
    path = tmp_path / "t.take"
    code, out, err = umbrant("roll", tmp_path / "p", "--trust", "--out", path)
    assert code == 3
    assert "The take is in" in out
    said = f"{path}: this take is not whole: nodes/bad.py, line "
    assert err.startswith(said)
    for arguments in (
        ("show", path, "--agent", "warden", "--at", "0"),
        ("why", path, "--agent", "warden", "--at", "0"),
        ("export", path),
        ("find", path, "time() >= 0"),
    ):
        code, out, err = umbrant(*arguments)
        assert code == 3
        assert err.startswith(said)
        code, out, err = umbrant(
            *arguments[:2],
            *arguments[2:],
            *(("--json",) if "--at" in arguments else ()),
        )
        assert "did not come back" in out or "--at" not in arguments


def test_sys_exit_in_a_node_ends_no_command(
    umbrant: Any, tmp_path: Path
) -> None:
    save_project(
        project_with(HostileNode("exits", action("import sys\nsys.exit(0)"))),
        tmp_path / "p",
    )
    code, out, err = umbrant(
        "roll",
        tmp_path / "p",
        "--trust",
        "--out",
        tmp_path / "t.take",
        "--json",
    )
    assert (code, err) == (0, "")
    failed, waits, *_ = json.loads(out)["agents"]["warden"]
    assert (failed["row"], waits["row"]) == ("r1", "r2")
    assert "failed" in waits["reason"]


def test_what_files_hold_is_shown_escaped(
    umbrant: Any, tmp_path: Path
) -> None:
    made = project_with(HostileNode("good", action("return True")))
    rude = made.cover.model_copy(
        update={"title": "Red \x1b[31m and \u202e backwards"}
    )
    save_project(made.model_copy(update={"cover": rude}), tmp_path / "p")
    code, out, _ = umbrant(tmp_path / "p", "--headless", "--trust")
    assert code == 0
    assert out.startswith("Red \\x1b[31m and \\u202e backwards")


def test_a_command_that_is_killed_leaves_nothing_running_and_a_take_that_says_it_was_cut(
    tmp_path: Path,
) -> None:
    path = tmp_path / "t.take"
    command = [
        sys.executable,
        "-m",
        "umbrant",
        "roll",
        str(DEMO),
        "--seconds",
        "3000",
        "--out",
        str(path),
    ]
    rolling = subprocess.Popen(
        command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    until(lambda: path.exists() and path.stat().st_size)
    children = (
        Path(f"/proc/{rolling.pid}/task/{rolling.pid}/children")
        .read_text()
        .split()
    )
    rolling.kill()
    rolling.wait()
    until(lambda: not any(Path(f"/proc/{each}").exists() for each in children))
    # Which of the two the supervisor hears first is a matter of moments.
    take = read_take(path)
    assert take.ended in {
        f"{why} at tick {take.ticks} of {take.header.ticks}"
        for why in (
            "stopped by SIGTERM",
            "stopped, for nobody waits for it,",
        )
    }


def test_asking_about_one_agent_reads_its_rows_alone_and_answers_the_same(
    take: Path,
) -> None:
    full = read_take(take)
    for name, record in full.agents.items():
        alone = read_take(take, only=name)
        assert all(
            not other.rows
            for each, other in alone.agents.items()
            if each != name
        )
        assert alone.agents[name].rows.keys() == record.rows.keys()
        if not record.rows:
            continue
        for tick in range(0, full.ticks, 50):
            explainer, expected = Explainer(alone, name), Explainer(full, name)
            assert explainer.why(tick) == expected.why(tick)
            for row_id in explainer.outline.number:
                assert explainer.why_not(tick, row_id) == expected.why_not(
                    tick, row_id
                )


def test_a_command_loads_only_what_it_needs() -> None:
    script = (
        "import sys\n"
        "from umbrant.cli import main\n"
        "sys.argv = ['umbrant', 'schema']\n"
        "try:\n"
        "    main()\n"
        "finally:\n"
        "    print(*sys.modules, sep='\\n', file=sys.stderr)\n"
    )
    ended = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True
    )
    loaded = ended.stderr.split()
    assert "umbrant.cli.schema" in loaded
    for each in ("scipy", "PySide6", "umbrant.cli.roll", "umbrant.studying"):
        assert each not in loaded


def test_an_interrupt_while_the_program_loads_is_no_traceback() -> None:
    script = (
        "import builtins\n"
        "load = builtins.__import__\n"
        "def interrupted(name, *more):\n"
        "    if name == 'umbrant.cli.app':\n"
        "        raise KeyboardInterrupt\n"
        "    return load(name, *more)\n"
        "builtins.__import__ = interrupted\n"
        "from umbrant.cli import main\n"
        "main()\n"
    )
    ended = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True
    )
    assert (ended.returncode, ended.stdout, ended.stderr) == (130, "", "")


def test_whoever_starts_it_may_ignore_that_children_end(take: Path) -> None:
    """What is ignored is inherited, and nobody could wait for a process."""
    ignoring = (
        "import os, signal, sys; "
        "signal.signal(signal.SIGCHLD, signal.SIG_IGN); "
        "os.execv(sys.executable, [sys.executable, *sys.argv[1:]])"
    )
    asks = ["-m", "umbrant", "map", str(take), "--agent", "odo", "--at", "0.5"]
    axes = ["--x", "visitor.x=0:30", "--y", "alarm=0:1"]
    done = subprocess.run(
        [sys.executable, "-c", ignoring, *asks, *axes],
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stderr) == (0, "")
    assert "places were played" in done.stdout
