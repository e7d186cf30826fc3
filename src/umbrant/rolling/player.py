"""The player: a process that plays what it is ordered, and sends what it
records to its supervisor.

It is forked by the supervisor. It is the only process that runs a project's
own code, so nothing else is in its reach: it has no take open, one thread, a
folder of its own, and a pipe in each direction. It may be ended at any moment.
"""

import faulthandler
import os
import random
import resource
import select
import signal
import socket
import sys
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from typing import NoReturn

import msgpack

from umbrant.engine.project_calls import described
from umbrant.model.problems import ProjectError
from umbrant.model.staging import Scenario
from umbrant.project_code import running_catalog
from umbrant.rolling.garbage import search_seldom
from umbrant.rolling.orders import (
    EndMessage,
    Order,
    RollMessage,
    StepMessage,
    StopMessage,
    read_order,
)
from umbrant.rolling.rehearse import Rehearsal, SteeringInput
from umbrant.rolling.resuming import change_of
from umbrant.rolling.roll import (
    Play,
    RollOrder,
    chunk_ticks,
    header_of,
    played,
)
from umbrant.rolling.snapshots import (
    ForkPermission,
    forked,
    is_small,
    still_there,
    wait_to_go_on,
)
from umbrant.rolling.watch import SharedWatch
from umbrant.take.pieces import TakePiece
from umbrant.take.recorder import TakeRecorder

SEND_S = 0.04
"""How long what is recorded may wait before it is sent, while ticks go by:
what has been played can be looked at from then on.
"""
SEND_WITH_NODES_S = 0.01
"""The same where nodes of the project's own run: when one has to be ended,
little of what led to it is to be lost.
"""
MEMORY_SHARE = 0.75
"""How much of the machine's memory a player may take, so that a node that
takes ever more fails, and nothing else.
"""


@dataclass(frozen=True)
class Pipes:
    """The file descriptors of a player: where orders come in, where messages
    go out, and where a crash is noted.
    """

    orders: int
    messages: int
    crash: int


def run_player(pipes: Pipes, watch: SharedWatch) -> NoReturn:
    """Be a player until the orders end, or until code of a project has run.
    Called in a process just forked.
    """
    try:
        _isolate(pipes)
        search_seldom()
        player = Player(Inbox(pipes.orders), Outbox(pipes.messages), watch)
        while not player.is_done and (line := player.inbox.take()) is not None:
            player.answer(line)
        _flush_prints()
    except BaseException:
        traceback.print_exc()
        os._exit(1)
    # No handler, no destructor and no thread of a stranger's has anything to
    # say at the end.
    os._exit(0)


def _isolate(pipes: Pipes) -> None:
    """Close what belongs to the supervisor, and have crashes reported."""
    os.setsid()
    # A node may start programs. A copy of the player itself would send all
    # that it records a second time.
    os.register_at_fork(after_in_child=ForkPermission.end_if_strange)
    kept = sorted((pipes.orders, pipes.messages, pipes.crash))
    for low, high in zip(
        [2, *kept],
        [*kept, resource.getrlimit(resource.RLIMIT_NOFILE)[0]],
        strict=True,
    ):
        os.closerange(low + 1, high)
    nothing = os.open(os.devnull, os.O_RDONLY)
    os.dup2(nothing, 0)
    os.dup2(2, 1)
    os.close(nothing)
    # The three stay open for as long as the process lives. What code of a
    # project prints must never fail for its letters, so what cannot be encoded
    # is written with escapes.
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", -1, "utf-8", "backslashreplace", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", 1, "utf-8", "backslashreplace", closefd=False)  # noqa: SIM115
    for each in (signal.SIGINT, signal.SIGTERM):
        if each is signal.SIGINT:
            handler = signal.SIG_IGN
        else:
            handler = signal.SIG_DFL
        signal.signal(each, handler)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    memory = int(
        os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") * MEMORY_SHARE
    )
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    faulthandler.enable(pipes.crash, all_threads=False)
    faulthandler.register(signal.SIGUSR1, pipes.crash, all_threads=False)


def _flush_prints() -> None:
    """Say what nodes have printed. A project's own code may have closed these,
    or put something else in their place.
    """
    for each in (sys.stdout, sys.stderr):
        try:
            each.flush()
        except BaseException:  # noqa: S112  (there is nobody left to tell)
            continue


class Inbox:
    """Splits what arrives on a file descriptor into lines."""

    def __init__(self, orders: int) -> None:
        self._orders = orders
        self._read = b""
        self._poll = select.poll()
        self._poll.register(orders, select.POLLIN)

    def take(self) -> bytes | None:
        """The next line, once there is one; None after the last."""
        while b"\n" not in self._read:
            more = os.read(self._orders, 1 << 20)
            if not more:
                return None
            self._read += more
        line, _, self._read = self._read.partition(b"\n")
        return line

    def is_waiting(self) -> bool:
        """Whether there is more to read."""
        return bool(self._read) or bool(self._poll.poll(0))

    def close(self) -> None:
        """Hear nothing any more."""
        os.close(self._orders)


class Outbox:
    """Sends messages to the supervisor: MessagePack arrays of the order's
    number, the kind and its content.
    """

    def __init__(self, messages: int) -> None:
        self._socket = socket.socket(fileno=messages)

    def send(self, number: int, what: str, *more: object) -> None:
        """Send a message; it is with the supervisor, or on the way, when this
        returns.
        """
        self._socket.sendall(msgpack.packb((number, what, *more)))

    def send_end(
        self, number: int, what: str, tick: int, end: socket.socket
    ) -> None:
        """Send a message about a tick, together with a socket."""
        data = msgpack.packb((number, what, tick))
        sent = socket.send_fds(self._socket, [data], [end.fileno()])
        self._socket.sendall(data[sent:])

    def close(self) -> None:
        """Send nothing any more."""
        self._socket.close()


class _Due:
    """Says every so often that it is time, and after 1, 2, 4, 8, … ticks from
    the first, for much goes wrong at the very beginning.

    The only clock in a player: what is recorded does not depend on it.
    """

    def __init__(self, every_s: float, ticks: int = 0) -> None:
        self._every_s = every_s
        self._last_s = time.monotonic()
        self._ticks = ticks

    def __call__(self) -> bool:
        self._ticks += 1
        now_s = time.monotonic()
        if now_s - self._last_s < self._every_s and self._ticks & (
            self._ticks - 1
        ):
            return False
        self._last_s = now_s
        return True


@dataclass
class _Playing:
    """A play on its way."""

    play: Play
    order: RollOrder
    scenario: Scenario
    recorder: TakeRecorder
    tick: int = 0
    """The tick that comes next."""


def _get_ready(playing: _Playing, message: RollMessage) -> None:
    """Do what the copy of a snapshot begins with, with the order that it has
    already: its memory is copied as it is used, which is then done.
    """
    change_of(playing.order, message.order())


class Player:
    """Carries out orders one after the other. A rehearsal spans many lines,
    until it is ended or another order comes.
    """

    def __init__(
        self, inbox: Inbox, outbox: Outbox, watch: SharedWatch
    ) -> None:
        self.inbox = inbox
        self.has_run_code = False
        """Whether code of a project has run. The process ends then, so that
        the next take finds none of its traces.
        """
        self.is_copy = False
        """Whether this is the copy of a snapshot, which carries out one order.
        """
        self._outbox = outbox
        self._watch = watch
        self._rehearsal: Rehearsal | None = None
        self._runs_code = False
        self._number = 0
        """The number of the order that is carried out."""
        self._look_tick: int | None = None
        """Before which tick all that has been played is wanted at once."""
        self._snapshots: list[int] = []
        """The processes of the snapshots that were left behind and have not
        been seen to end.
        """

    @property
    def is_done(self) -> bool:
        """Whether no further order is to be carried out."""
        return self.has_run_code or self.is_copy

    def answer(self, line: bytes) -> None:
        """Carry out the order in a line. The supervisor has read it already."""
        message = read_order(line)
        try:
            self._do(message)
        except ProjectError as error:
            self._fail(message.number, str(error))
        except BaseException as error:
            # A mistake of ours, or the trace of a node that has changed what
            # is not its own. Neither goes on from here.
            traceback.print_exc()
            said = f"Rolling failed inside Umbrant: {described(error)}.{self._last_call()}"
            self._fail(message.number, said)

    def _do(self, message: Order) -> None:
        match message:
            case StopMessage():
                # What was being rolled has stopped by itself as this line came
                # in; a rehearsal is given up.
                if self._rehearsal is not None:
                    self._finish(message.number, "stopped")
            case StepMessage(hand=hand):
                self._go_on(message.number, hand)
            case EndMessage():
                self._go_on(message.number, None)
            case RollMessage():
                if self.inbox.is_waiting() and message.rehearse is None:
                    self._outbox.send(message.number, "stopped")
                else:
                    self._begin(message)

    def _begin(self, message: RollMessage) -> None:
        self._rehearsal = None
        self._number = number = message.number
        if message.look is not None:
            self._look_tick = message.look_after + 1
        else:
            self._look_tick = None
        if message.prepares:
            self._prepare(message)
            return
        order = message.order()
        self._runs_code = order.trusted and bool(order.project.nodes)
        if self._runs_code:
            # A node that takes chances of its own, and not those of
            # `me.random`, takes the same ones each time.
            random.seed(played(order).seed)
        catalog = running_catalog(
            order.project, trusted=order.trusted, watch=self._watch
        )
        if message.rehearse is not None:
            rehearsal = Rehearsal(
                order,
                message.rehearse,
                self._live_recorder,
                catalog,
                self._watch,
                message.from_tick,
            )
            self._send_header(number, order, rehearsal.scenario)
            self._rehearsal = rehearsal
            self._outbox.send(number, "ready")
            return
        scenario = played(order)
        recorder = self._live_recorder(scenario, counts_only=order.counts_only)
        play = Play(order.project, scenario, recorder, catalog, self._watch)
        self._send_header(number, order, scenario)
        self._play_out(_Playing(play, order, scenario, recorder))

    def _play_out(self, playing: "_Playing") -> None:
        """Play to the end, or until another line comes in, and say which."""
        # A snapshot may lie at the very end: nothing is left to be played from
        # there.
        is_over = playing.tick >= playing.scenario.tick_count
        try:
            while not self.inbox.is_waiting() and not is_over:
                if playing.tick == self._look_tick:
                    # Somebody waits to see this very tick.
                    playing.recorder.hand_over()
                self._tick(playing)
                is_over = playing.tick >= playing.scenario.tick_count
        finally:
            playing.recorder.end_chunk()
        if is_over:
            self._finish(self._number, "played", [], [])
        else:
            self._finish(self._number, "stopped")

    def _tick(self, playing: "_Playing") -> None:
        self._watch.come_on()
        playing.play.tick(playing.tick)
        playing.tick += 1

    def _prepare(self, message: RollMessage) -> None:
        """Play, and leave snapshots behind, until another line comes in. What
        is recorded on the way to each goes to the supervisor before it. Goes
        on in the copies of the snapshots, each with an order of its own.
        """
        order = message.order()
        scenario, due = played(order), frozenset(message.prepares)
        if order.project.nodes:
            return
        recorder = self._recorder(scenario)
        catalog = running_catalog(order.project, trusted=False)
        play = Play(order.project, scenario, recorder, catalog, self._watch)
        playing = _Playing(play, order, scenario, recorder)
        self._snapshots = still_there(self._snapshots)
        if message.checks:
            last = scenario.tick_count
        else:
            last = max(due)
        while not self.inbox.is_waiting():
            if (
                playing.tick in due
                and is_small()
                and self._is_copy_to_go_on(playing, message)
            ):
                self._take_up(playing)
                self._play_out(playing)
                return
            if playing.tick >= last:
                break
            self._tick(playing)
        if playing.tick >= last:
            if message.checks:
                recorder.end_chunk()
            self._outbox.send(self._number, "prepared")

    def _is_copy_to_go_on(
        self, playing: "_Playing", message: RollMessage
    ) -> bool:
        """Leave a snapshot behind. Returns False in the process that plays on,
        and True in a copy of the snapshot, as often as one is to go on from
        here.
        """
        # The supervisor gets what was recorded until here once, before the
        # snapshot: a copy sends none of it.
        playing.recorder.hand_over()
        ours, theirs = socket.socketpair()
        with ours, theirs:
            copy = forked()
            if copy != 0:
                if copy > 0:
                    self._snapshots.append(copy)
                    self._outbox.send_end(
                        self._number, "snapshot", playing.tick, theirs
                    )
                return False
            theirs.close()
            # The supervisor must see that the player has ended while its
            # snapshots go on.
            self.inbox.close()
            self._outbox.close()
            ends = wait_to_go_on(ours, lambda: _get_ready(playing, message))
        self.inbox, self._outbox = Inbox(ends.orders), Outbox(ends.messages)
        return True

    def _take_up(self, playing: "_Playing") -> None:
        """Go on with the order that comes in, or decline it and end. Called in
        the copy of a snapshot, which ends with what it does.
        """
        line = self.inbox.take()
        message = None
        if line is not None:
            message = read_order(line)
        if not isinstance(message, RollMessage):
            os._exit(0)
        self.is_copy = True
        playing.recorder.due = _Due(SEND_S, playing.tick)
        self._number = number = message.number
        if message.look is not None:
            self._look_tick = message.look_after + 1
        else:
            self._look_tick = None
        self._outbox.send(number, "process", os.getpid())
        order = message.order()
        scenario, change = played(order), change_of(playing.order, order)
        if change is None or not playing.play.take_up(
            order.project, scenario, change.behaviors
        ):
            self._outbox.send(number, "declined")
            os._exit(0)
        playing.order, playing.scenario = order, scenario

    def _send_header(
        self, number: int, order: RollOrder, scenario: Scenario
    ) -> None:
        """All that is to be played could be set up: the take's file can begin."""
        header = header_of(
            order.project,
            scenario,
            order.branched_at,
            counts_only=order.counts_only,
        )
        self._outbox.send(number, "begun", header.model_dump_json())

    def _live_recorder(
        self, scenario: Scenario, *, counts_only: bool = False
    ) -> TakeRecorder:
        """A recorder that sends a piece whenever it is time."""
        due = _Due(SEND_WITH_NODES_S if self._runs_code else SEND_S)
        return self._recorder(scenario, due, counts_only=counts_only)

    def _recorder(
        self,
        scenario: Scenario,
        due: Callable[[], bool] | None = None,
        *,
        counts_only: bool = False,
    ) -> TakeRecorder:
        """A recorder that sends its pieces to the supervisor: whole chunks,
        and in between whenever one is due.
        """

        def push(piece: TakePiece) -> None:
            self._outbox.send(self._number, "piece", piece)

        return TakeRecorder(
            scenario.ticks_per_s,
            chunk_ticks(scenario),
            push,
            due,
            counts_only=counts_only,
        )

    def _go_on(self, number: int, hand: SteeringInput | None) -> None:
        """One step of the rehearsal; without a hand it is over."""
        rehearsal = self._rehearsal
        if rehearsal is None:
            return
        if hand is not None and not rehearsal.over:
            self._watch.come_on()
            frame = rehearsal.step(hand)
            self._outbox.send(number, "frame", frame.model_dump_json())
        else:
            rehearsal.close()
            track = rehearsal.track
            steps = [each.model_dump_json() for each in track.steps]
            cues = [
                each.model_dump_json(exclude_defaults=True)
                for each in track.cues
            ]
            self._finish(number, "played", steps, cues)

    def _fail(self, number: int, message: str) -> None:
        if self._rehearsal is not None:
            self._rehearsal.close()
        self._finish(number, "failed", message)

    def _finish(self, number: int, what: str, *more: object) -> None:
        """The order is done with."""
        self._rehearsal = None
        self.has_run_code = self._runs_code
        self._outbox.send(number, what, *more)

    def _last_call(self) -> str:
        if self._runs_code and self._watch.place.file:
            return f" {self._watch.place.last_of_all}"
        return ""
