"""A short interpreter of trees, written straight from the definitions: what
the engine is tested against.

It knows selectors, sequences, parallels, guards with their watches, and
decorators; leaves last so many ticks. It notes, tick by tick, what is entered,
how what is left has ended, and what is refused.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

R, S, F = "running", "success", "failure"


@dataclass
class Node:
    row: str
    kind: str
    children: list["Node"] = field(default_factory=list)
    ticks: int = 0
    success: bool = True
    restarts: bool = False
    needed: int = 0
    borne: int = 1
    at_once: int = 0
    guard: Callable[[int], bool] | None = None
    watch: str = "on entry"
    decorators: list[tuple[str, float]] = field(default_factory=list)
    active: bool = False
    was_open: bool = False
    was_evaluated: bool = False
    at: int = 0
    done: dict[str, str] = field(default_factory=dict)
    memory: dict[int, float] = field(default_factory=dict)
    pending: set[int] = field(default_factory=set)
    """The decorators that begin their next turn at the next tick, by place."""


class Reference:
    """Ticks count from 0, ten to a second; durations of decorators are told in
    ticks.
    """

    def __init__(self, root: Node) -> None:
        self.root = root
        self.now = 0
        self.log: list[tuple[int, str, str]] = []
        self.refused: dict[str, set[int]] = {}

    def tick(self) -> None:
        self.visit(self.root)
        self.now += 1

    def visit(self, node: Node) -> str:
        if not node.active:
            if not self.opens(node):
                return F
            node.active = True
            self.log.append((self.now, node.row, "entered"))
            self.start(node, 0)
        elif (
            node.guard
            and node.watch in ("while running", "throughout")
            and not node.guard(self.now)
        ):
            self.halt(node)
            node.was_open = False
            return F
        status = self.run(node, 0)
        if status != R:
            self.leave(node, status)
        return status

    def opens(self, node: Node) -> bool:
        if node.was_evaluated:
            node.was_evaluated = False
            return True
        node.was_open = not (
            node.guard and not node.guard(self.now)
        ) and not any(
            kind == "cooldown" and self.now < node.memory.get(place, -1)
            for place, (kind, _) in enumerate(node.decorators)
        )
        if not node.was_open:
            self.refused.setdefault(node.row, set()).add(self.now)
        return node.was_open

    def wants_over(self, node: Node) -> bool:
        if not node.guard or node.watch not in ("take over", "throughout"):
            return False
        before = node.was_open
        node.was_evaluated = self.opens(node) and not before
        return node.was_evaluated

    def halt(self, node: Node) -> None:
        if node.active:
            self.stop(node, 0)
            self.leave(node, "stopped")

    def halt_all(self, node: Node) -> None:
        for child in node.children:
            self.halt(child)

    def leave(self, node: Node, how: str) -> None:
        self.halt_all(node)
        node.active = False
        self.log.append((self.now, node.row, how))

    # what is inside decorator number `place`; after the last the row's own
    # work

    def start(self, node: Node, place: int) -> None:
        if place == len(node.decorators):
            node.at, node.done = 0, {}
            return
        kind, value = node.decorators[place]
        if kind in ("repeat", "retry"):
            node.memory[place] = 0
            node.pending.discard(place)
        elif kind == "time_limit":
            node.memory[place] = self.now + value
        elif kind == "delay":
            node.memory[place] = self.now + value
            node.memory[-1 - place] = 0
            return
        self.start(node, place + 1)

    def run(self, node: Node, place: int) -> str:  # noqa: C901
        if place == len(node.decorators):
            status = self.work(node)
            if status != R:
                self.halt_all(node)
            return status
        kind, value = node.decorators[place]
        if place in node.pending:
            node.pending.discard(place)
            self.start(node, place + 1)
        if kind == "time_limit" and self.now >= node.memory[place]:
            self.stop(node, place + 1)
            return F
        if kind == "delay" and not node.memory[-1 - place]:
            if self.now < node.memory[place]:
                return R
            node.memory[-1 - place] = 1
            self.start(node, place + 1)
        status = self.run(node, place + 1)
        if status == R:
            return R
        if kind == "cooldown":
            node.memory[place] = self.now + value
        if kind == "invert":
            return F if status == S else S
        if kind in ("always_succeed", "always_fail"):
            return S if kind == "always_succeed" else F
        if kind in ("repeat", "retry") and status == (
            S if kind == "repeat" else F
        ):
            node.memory[place] += 1
            if node.memory[place] < value:
                node.pending.add(place)
                return R
        return status

    def stop(self, node: Node, place: int) -> None:
        if place == len(node.decorators):
            self.halt_all(node)
            return
        kind, value = node.decorators[place]
        begun = (
            node.memory[-1 - place]
            if kind == "delay"
            else place not in node.pending
        )
        if begun:
            self.stop(node, place + 1)
        if kind == "cooldown":
            node.memory[place] = self.now + value

    def work(self, node: Node) -> str:
        if node.kind == "last":
            node.at += 1
            return R if node.at <= node.ticks else S if node.success else F
        if node.kind == "parallel":
            return self.side_by_side(node)
        return self.in_order(node, F if node.kind == "selector" else S)

    def in_order(self, node: Node, goes_on_after: str) -> str:
        before = node.at
        if node.restarts:
            node.at = 0
            status = self.on(node, goes_on_after, before)
            if status is not None:
                self.halt(node.children[before])
                return status
        else:
            for place in range(node.at):
                if self.wants_over(node.children[place]):
                    self.halt(node.children[node.at])
                    node.at = place
                    break
        return (
            self.on(node, goes_on_after, len(node.children)) or goes_on_after
        )

    def on(self, node: Node, goes_on_after: str, end: int) -> str | None:
        while node.at < end:
            status = self.visit(node.children[node.at])
            if status != goes_on_after:
                return status
            node.at += 1
        return None

    def side_by_side(self, node: Node) -> str:
        most = node.at_once or len(node.children)
        for child in node.children:
            running = [each for each in node.children if each.active]
            if child.row in node.done:
                continue
            if not child.active and len(running) >= most:
                self.refused.setdefault(child.row, set()).add(self.now)
                child.was_open = False
                continue
            status = self.visit(child)
            if status != R:
                node.done[child.row] = status
        total = len(node.children)
        won = sum(each == S for each in node.done.values())
        lost = len(node.done) - won
        needed, borne = (
            min(total, node.needed or total),
            min(total, node.borne or total),
        )
        if won >= needed:
            return S
        return F if lost >= borne or won + lost == total else R
