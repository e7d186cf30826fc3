"""Own nodes that are wrong: each is played by a supervisor, which has to end
what must be ended and to go on.
"""

import os
import subprocess
from collections.abc import Iterable
from pathlib import Path
from types import TracebackType

from benchmarks.fuzz.hostile_nodes import ALL, LIMIT_S, HostileNode
from benchmarks.fuzz.tally import Tally
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Decorator,
    Guard,
    Key,
    NodeFile,
    Row,
)
from umbrant.model.documents import Cover, Project
from umbrant.model.staging import Member, Scenario, Stage
from umbrant.model.values import KeyRef, KeyType
from umbrant.rolling.client import ENVIRONMENT, SUPERVISOR, final_reply
from umbrant.rolling.orders import Reply, order_line
from umbrant.rolling.roll import RollOrder
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import Take, read_take
from umbrant.take.record import RowRecord


class Conversation:
    """A supervisor that is asked one thing after the other."""

    def __init__(self, folder: Path) -> None:
        self._number = 0
        self._errors = (folder / "stderr").open("wb")
        self._process = subprocess.Popen(
            SUPERVISOR,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=self._errors,
            text=True,
            cwd=folder,
            env={**os.environ, **ENVIRONMENT},
        )

    def __enter__(self) -> "Conversation":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._process.kill()
        self._process.communicate()
        self._errors.close()

    def roll(self, order: RollOrder) -> Reply:
        """What comes of an order."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        self._number += 1
        self._process.stdin.write(order_line(self._number, order) + "\n")
        self._process.stdin.flush()
        reply = final_reply(self._process.stdout)
        assert reply is not None
        assert reply.number == self._number
        return reply


def project_with(node: HostileNode) -> Project:
    """One agent whose first row runs the node, is cut off after a tenth of a
    second, and whose second row waits.
    """
    is_sense = "def badness" in node.text and "def bad(" not in node.text
    guard = Guard(when="badness() > -1") if is_sense else None
    args: dict[str, KeyRef] = (
        {"n": KeyRef(key="n")} if "{n}" in node.text else {}
    )
    first = Row(
        id="r1",
        under="top",
        kind="wait" if is_sense else "bad",
        name="Bad",
        guard=guard,
        args={"duration": 5.0} if is_sense else args,
        decorators=(Decorator(kind="time_limit", args={"limit": 0.1}),)
        if "tidying" in node.name
        else (),
    )
    rows = (
        Row(id="top", kind="selector", name="Top"),
        first,
        Row(
            id="r2",
            under="top",
            kind="wait",
            name="Wait",
            args={"duration": 9.0},
        ),
    )
    scenario = Scenario(
        name="s",
        title="S",
        stage="yard",
        seconds=0.6,
        ticks_per_s=10,
        cast=(Member(name="warden", behavior="b", start=(2, 5)),),
    )
    return Project(
        cover=Cover(title="Bad", scenario="s", node_limit_s=LIMIT_S),
        behaviors=(Behavior(name="b", title="B", blackboard="k", rows=rows),),
        blackboards=(
            Blackboard(
                name="k",
                title="K",
                keys=(Key(name="n", type=KeyType.NUMBER, default=0.0),),
            ),
        ),
        stages=(Stage(name="yard", title="Yard", width_m=20, height_m=10),),
        scenarios=(scenario,),
        nodes=(NodeFile(name="bad.py", text=node.text),),
    )


def attack(nodes: Iterable[HostileNode], folder: Path, tally: Tally) -> Tally:
    """Play each node, and after each a project that has to come out as it
    always does.
    """
    harmless = project_with(HostileNode("none", "")).model_copy(
        update={"nodes": ()}
    )
    with Conversation(folder) as supervisor:

        def usual() -> str:
            path = folder / "usual.take"
            assert supervisor.roll(RollOrder(harmless, "s", path)).error == ""
            return export_text(read_take(path), ExportFormat.JSONL)

        before = usual()

        def attempt(node: HostileNode) -> str:
            path = folder / "bad.take"
            path.unlink(missing_ok=True)
            reply = supervisor.roll(
                RollOrder(project_with(node), "s", path, trusted=True)
            )
            how = _judged(node, reply, path)
            return how or (
                ""
                if usual() == before
                else "what is played afterwards comes out another way"
            )

        return tally.each(((each.name, each) for each in nodes), attempt)


def _judged(node: HostileNode, reply: Reply, path: Path) -> str:
    """What is wrong with what came of a node; empty if nothing is."""
    if "at the top" in node.name:
        return (
            ""
            if reply.error.startswith(node.says) and reply.take is None
            else f"it said {reply!r}"
        )
    if not path.exists():
        return f"there is no take: {reply.error}"
    take = read_take(path)
    export_text(take, ExportFormat.CSV)
    if node.ends_take:
        names_it = (
            "warden" in reply.error
            if node.says
            else "nodes/bad.py, line" in reply.error
        )
        said = (
            reply.error.startswith(node.says)
            and take.ended == reply.error
            and names_it
        )
        return (
            ""
            if said and not take.is_complete
            else f"it said {reply.error!r}, and the take {take.ended!r}"
        )
    if reply.error or not take.is_complete:
        return f"the take was cut short: {reply.error}"
    if node.is_harmless:
        return ""
    causes = _causes(take)
    return (
        ""
        if any(each.startswith(node.says) for each in causes)
        else f"the reasons were {causes}"
    )


def _causes(take: Take) -> list[str]:
    """All reasons that were recorded for the first row, in words."""
    record: RowRecord = take.agents["warden"].row("r1")
    found = [span.cause for span in record.spans]
    found += [
        refusal.cause
        for refusals in record.refusals.values()
        for refusal in refusals
    ]
    found += [
        each.cause
        for changes in record.sensed.values()
        for each in changes.values
        if each is not None
    ]
    return [
        "".join(text for _, text in cause.parts())
        for cause in found
        if cause is not None
    ]


def every_node() -> list[HostileNode]:
    """The whole corpus."""
    return ALL
