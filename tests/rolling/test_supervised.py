"""The supervisor outlives its players, and what a player recorded outlives the
player.
"""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from benchmarks.fuzz.hostile_nodes import ALL, HostileNode, action
from benchmarks.fuzz.nodes import Conversation, attack, project_with
from benchmarks.fuzz.tally import Tally

from tests.conftest import DEMO
from tests.rolling.supervised import Supervisor
from tests.waiting import PATIENCE_S, until
from umbrant.catalog.validation import open_project
from umbrant.model.staging import Member
from umbrant.rolling.client import ENVIRONMENT, SUPERVISOR, final_reply
from umbrant.rolling.orders import order_line, step_line
from umbrant.rolling.rehearse import SteeringInput
from umbrant.rolling.roll import RollOrder
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import read_take
from umbrant.take.tables import COMPLETE

QUAY = open_project(DEMO)
LONG_S = 3000.0
SIGNALLED = (sys.executable, "-m", "tests.rolling.signalled_supervisor")


def status(pid: int, field: str) -> str:
    text = Path(f"/proc/{pid}/status").read_text()
    return next(
        line.split(":", 1)[1].strip()
        for line in text.splitlines()
        if line.startswith(f"{field}:")
    )


def children(pid: int) -> list[int]:
    return [
        int(each)
        for each in Path(f"/proc/{pid}/task/{pid}/children")
        .read_text()
        .split()
    ]


def is_gone(pid: int) -> bool:
    try:
        return status(pid, "State").startswith("Z")
    except (FileNotFoundError, ProcessLookupError):
        return True


def opened_takes(pid: int) -> list[str]:
    return [
        name
        for each in Path(f"/proc/{pid}/fd").iterdir()
        if ".take" in (name := os.readlink(each))
    ]


@pytest.fixture
def supervisor(tmp_path: Path) -> Iterator["subprocess.Popen[str]"]:
    command = subprocess.Popen(
        SUPERVISOR,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        cwd=tmp_path,
        env={**os.environ, **ENVIRONMENT},
    )
    yield command
    command.kill()
    command.wait()
    for stream in (command.stdin, command.stdout):
        assert stream is not None
        stream.close()


def order(
    supervisor: "subprocess.Popen[str]", number: int, what: RollOrder
) -> None:
    assert supervisor.stdin is not None
    supervisor.stdin.write(order_line(number, what) + "\n")
    supervisor.stdin.flush()


def test_a_player_that_is_killed_loses_a_quarter_of_a_second_at_most_and_the_take_says_so(
    supervisor: "subprocess.Popen[str]", tmp_path: Path
) -> None:
    path = tmp_path / "t.take"
    order(supervisor, 1, RollOrder(QUAY, "dusk", path, seconds=LONG_S))
    until(lambda: path.exists() and children(supervisor.pid))
    time.sleep(2)
    (player,) = children(supervisor.pid)
    os.kill(player, signal.SIGKILL)
    assert supervisor.stdout is not None
    reply = final_reply(supervisor.stdout)
    assert "The process that played ended by SIGKILL" in reply.error
    take = read_take(path)
    assert take.ended == reply.error
    played_s, spent_s = take.header.seconds(take.ticks), 2.0
    assert played_s > spent_s * 5, "it plays many times faster than real time"
    order(
        supervisor,
        2,
        RollOrder(QUAY, "dusk", tmp_path / "again.take", seconds=3.0),
    )
    assert final_reply(supervisor.stdout).take == tmp_path / "again.take"
    full = export_text(
        read_take(tmp_path / "again.take"), ExportFormat.JSONL
    ).splitlines()
    cut = export_text(take, ExportFormat.JSONL)
    assert sum(line in cut for line in full[:200]) > 150, (
        "what was recorded is what is always recorded"
    )


def test_supervisor_and_player_have_one_thread_each_and_the_player_no_take(
    supervisor: "subprocess.Popen[str]", tmp_path: Path
) -> None:
    order(
        supervisor,
        1,
        RollOrder(QUAY, "dusk", tmp_path / "t.take", seconds=LONG_S),
    )
    until((tmp_path / "t.take").exists)
    (player,) = children(supervisor.pid)
    time.sleep(0.5)
    assert [status(each, "Threads") for each in (supervisor.pid, player)] == [
        "1",
        "1",
    ]
    opened = [
        os.readlink(each) for each in Path(f"/proc/{player}/fd").iterdir()
    ]
    assert not [each for each in opened if ".take" in each]
    assert [
        each
        for each in (
            os.readlink(each)
            for each in Path(f"/proc/{supervisor.pid}/fd").iterdir()
        )
        if ".take" in each
    ]


def test_a_supervisor_that_is_killed_leaves_no_player_behind(
    supervisor: "subprocess.Popen[str]", tmp_path: Path
) -> None:
    spinning = project_with(HostileNode("spins", action("while True: pass")))
    patient = spinning.model_copy(
        update={
            "cover": spinning.cover.model_copy(update={"node_limit_s": 60.0})
        }
    )
    order(
        supervisor,
        1,
        RollOrder(patient, "s", tmp_path / "t.take", trusted=True),
    )
    until((tmp_path / "t.take").exists)
    (player,) = children(supervisor.pid)
    supervisor.kill()
    until(lambda: is_gone(player))


def test_a_supervisor_whose_input_ends_ends_too_with_its_player(
    supervisor: "subprocess.Popen[str]",
) -> None:
    until(lambda: children(supervisor.pid))
    (player,) = children(supervisor.pid)
    assert supervisor.stdin is not None
    supervisor.stdin.close()
    assert supervisor.wait(PATIENCE_S) == 0
    until(lambda: is_gone(player))


@pytest.mark.parametrize("part", range(3))
def test_own_nodes_may_be_wrong_in_any_way(tmp_path: Path, part: int) -> None:
    tally = attack(ALL[part::6], tmp_path, Tally())
    assert tally.failures == []
    assert tally.attempts > 25


def test_what_did_not_come_back_is_told_with_its_line_also_inside_c(
    tmp_path: Path,
) -> None:
    node = HostileNode(
        "c", action("total = 0\ntotal += sum(range(10**12))\nreturn True")
    )
    with Conversation(tmp_path) as supervisor:
        reply = supervisor.roll(
            RollOrder(
                project_with(node), "s", tmp_path / "t.take", trusted=True
            )
        )
    line = node.text.splitlines().index("    total += sum(range(10**12))") + 1
    said = (
        f"nodes/bad.py, line {line}: `bad` (warden, row 1.1 'Bad') did not come back within "
        "0.3 s, so it was ended."
    )
    assert reply.error == said


def test_a_file_may_take_longer_to_run_than_its_nodes_do_but_not_for_ever(
    tmp_path: Path,
) -> None:
    def played(before: str) -> str:
        node = HostileNode("slow", action("return True", before=before))
        with Conversation(tmp_path) as supervisor:
            return supervisor.roll(
                RollOrder(
                    project_with(node), "s", tmp_path / "t.take", trusted=True
                )
            ).error

    assert played("import time\ntime.sleep(0.7)") == ""
    assert played("while True:\n    pass").endswith(
        "the file did not come back within 1.5 s, so it was ended."
    )


def test_each_take_finds_the_interpreter_as_it_was(tmp_path: Path) -> None:
    text = action(
        "random.seed(5)\nseen.append(1)\nme.world.say(me.name, str(len(seen)))\nreturn True",
        before=(
            "import random, string\nif not hasattr(string, 'seen'):\n    string.seen = "
            "[]\nseen = string.seen"
        ),
    )
    made = project_with(HostileNode("state", text))
    with Conversation(tmp_path) as supervisor:
        for _ in range(3):
            supervisor.roll(
                RollOrder(made, "s", tmp_path / "t.take", trusted=True)
            )
            said = read_take(tmp_path / "t.take").agents["warden"].said
            assert [each.text for each in said][:2] == ["1", "2"]


JUNK = (
    "b'\\xc1' * 10",  # no MessagePack
    "msgpack.packb((N, 'piece', [5]))",
    "msgpack.packb((N, 'piece', [2, True, [['warden', 'r1', '', 'ran', [[0, [1]]]]], [], [], [], "
    "[], [], [], []]))",
    "msgpack.packb((N, 'piece', [2, False, [], [['x']], [], [], [], [], [], []]))",
    "msgpack.packb((N, 'piece', [2, False, [], [], [], [], [], [], [['warden', 'text']], []]))",
    "msgpack.packb((N, 'begun', '{'))",
    "msgpack.packb((N, 'frame', '{}'))",
    "msgpack.packb((N, 'played', 5, 5))",
    "msgpack.packb('x')",
    "msgpack.packb((N, 'nothing of ours'))",
)
"""What a player may send that is no part of a take; N is the number of the
order.
"""


def test_a_player_that_sends_what_is_no_part_of_a_take_is_ended_and_the_supervisor_goes_on(
    tmp_path: Path,
) -> None:
    harmless = project_with(HostileNode("none", action("return True")))
    with Conversation(tmp_path) as supervisor:
        for number, junk in enumerate(JUNK):
            writes = f"    try:\n        os.write(each, {junk})\n    except OSError: pass"
            body = (
                f"import msgpack, os\nN = {2 * number + 1}\nfor each in range(3, "
                f"20):\n{writes}\nyield"
            )
            path = tmp_path / f"{number}.take"
            reply = supervisor.roll(
                RollOrder(
                    project_with(HostileNode("junk", action(body))),
                    "s",
                    path,
                    trusted=True,
                )
            )
            assert reply.error or "nothing of ours" in junk, junk
            assert read_take(path).ended == (reply.error or "complete"), junk
            assert (
                supervisor.roll(
                    RollOrder(harmless, "s", tmp_path / "u.take", trusted=True)
                ).error
                == ""
            ), junk


def test_a_rehearsal_that_hangs_is_given_up_for_the_next_order(
    supervisor: "subprocess.Popen[str]", tmp_path: Path
) -> None:
    spinning = project_with(HostileNode("spins", action("while True: pass")))
    patient = spinning.model_copy(
        update={
            "cover": spinning.cover.model_copy(update={"node_limit_s": 60.0})
        }
    )
    scenario = patient.scenarios[0]
    puppet = Member(name="p", start=(5, 5))
    patient = patient.model_copy(
        update={
            "scenarios": (
                scenario.model_copy(update={"cast": (*scenario.cast, puppet)}),
            )
        }
    )
    rehearsal = RollOrder(patient, "s", tmp_path / "r.take", trusted=True)
    assert supervisor.stdin is not None
    assert supervisor.stdout is not None
    supervisor.stdin.write(order_line(1, rehearsal, "p") + "\n")
    supervisor.stdin.flush()
    assert final_reply(supervisor.stdout).number == 1
    supervisor.stdin.write(step_line(1, SteeringInput()) + "\n")
    supervisor.stdin.flush()
    time.sleep(0.3)
    order(
        supervisor,
        2,
        RollOrder(QUAY, "dusk", tmp_path / "t.take", seconds=1.0),
    )
    reply = final_reply(supervisor.stdout)
    assert (reply.number, reply.error, reply.take) == (
        2,
        "",
        tmp_path / "t.take",
    )
    assert not (tmp_path / "r.take").exists()


def test_signals_that_come_while_a_take_is_closed_do_not_cut_it(
    tmp_path: Path,
) -> None:
    """A parent that is killed sends one for each of its threads."""
    path = tmp_path / "t.take"
    supervisor = Supervisor(SIGNALLED)
    supervisor.say(order_line(1, RollOrder(QUAY, "dusk", path, seconds=1.0)))
    with supervisor.process as process:
        assert process.wait(PATIENCE_S) == 128 + signal.SIGTERM
    take = read_take(path)
    assert (take.ended, take.ticks) == (COMPLETE, 20)
    assert [each.name for each in tmp_path.iterdir()] == ["t.take"]


@pytest.mark.parametrize("begun", [False, True])
def test_a_roll_that_nobody_waits_for_any_more_is_stopped(
    tmp_path: Path, begun: bool
) -> None:
    """Who ordered it was killed before the supervisor could ask to be told."""
    path = tmp_path / "t.take"
    supervisor = Supervisor()
    supervisor.say(
        order_line(1, RollOrder(QUAY, "dusk", path, seconds=LONG_S))
    )
    with supervisor.process as process:
        if begun:
            until(path.exists)
        for stream in (process.stdin, process.stdout):
            assert stream is not None
            stream.close()
        assert process.wait(PATIENCE_S) == 0
    # It may have begun in the moment before it heard.
    if begun or path.exists():
        take = read_take(path)
        said = "stopped, for nobody waits for it, at tick"
        assert take.ended == f"{said} {take.ticks} of {take.header.ticks}"
        assert take.ticks < take.header.ticks
    assert {each.name for each in tmp_path.iterdir()} <= {"t.take"}
