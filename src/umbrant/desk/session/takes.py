"""The takes of a visit: they are ordered from the worker process, read in a
thread, numbered, and kept to go back to.
"""

import shutil
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QElapsedTimer, QObject, Signal

from umbrant.catalog.kind import Catalog
from umbrant.desk.logs import log
from umbrant.desk.session.background import remove_later
from umbrant.desk.session.loader import Load, Loaded, Loader
from umbrant.desk.session.numbered_take import NumberedTake, noticed_in
from umbrant.desk.session.roller import Roller
from umbrant.desk.session.visits import folder_for_takes
from umbrant.expecting.expectation import BrokenExpectation, NamedExpectation
from umbrant.model.documents import Project
from umbrant.reasons.why import Explainer
from umbrant.rolling.orders import Look, Reply
from umbrant.rolling.roll import RollOrder
from umbrant.take.reader import Take

LOOK_AGAIN_MS = 250
LOOK_SHARE = 4
"""A look at the take that is being rolled follows the one before after
`LOOK_AGAIN_MS`, and after `LOOK_SHARE` times what that took: each is read from
its beginning, and the take grows.
"""
KEPT_TAKES = 12
"""How many takes of a visit are kept to go back to."""


@dataclass(frozen=True)
class OrderedRoll:
    """What is being rolled, and what for."""

    order: RollOrder
    project: Project
    """The very object that was sent, so that *is it still the same* is
    answered without comparing documents. Of a branch that of its parent.
    """
    parent: NumberedTake | None = None
    """Of a branch the take that it leaves."""
    says: str = ""
    """Of a branch what is done where it leaves it."""
    called: str = ""
    """What it is called if it is rolled only for the shown take to be compared
    with it.
    """


class Takes(QObject):
    """The takes of one window, and the one that is shown. Lives in the
    window's thread.
    """

    shown = Signal()
    """Another take is shown."""
    arrived = Signal()
    """A new take was read and is shown, and nothing in it needs the author's
    attention.
    """
    busy_changed = Signal(bool)
    progressed = Signal(int)
    """So many ticks have been played of the take that is rolled."""
    message = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.kept: list[NumberedTake] = []
        """The takes to go back to, oldest first; at most `KEPT_TAKES`."""
        self.current: NumberedTake | None = None
        self.percent: int | None = None
        """How much of the take that is rolled has been played; None as long as
        nobody said so.
        """
        self._look: Path | None = None
        """The file of a look at the take that is being played, from when it is
        asked for until it is shown.
        """
        self._goes_on = False
        """Whether that goes on from a take that is known."""
        self._look_clock = QElapsedTimer()
        """Since when the last look has been asked for; invalid before the
        first at a take.
        """
        self._look_again_ms = 0
        self.times_shown = 0
        """How many times another take, or the same beside another one, has
        been shown.
        """
        self.compares = False
        """Whether a take is shown beside the one that it is compared with."""
        self._before: NumberedTake | None = None
        """The take that was shown before the last edit; the next one is
        compared with it.
        """
        self.wished: Callable[[], int] = lambda: 0
        """Gives the tick that a look at the take that is rolled must reach
        beyond.
        """
        self.expectations: Callable[[], tuple[NamedExpectation, ...]] = tuple
        """Gives what must be so in takes."""
        self._against: dict[Path, str] = {}
        """What the other take is called, by the file of the one that is
        compared with it.
        """
        self._explainers: dict[str, Explainer] = {}
        self._ordered: OrderedRoll | None = None
        self._numbered = 0
        self._files = 0
        self._folder = folder_for_takes()
        self.roller = Roller(self)
        self.roller.rolled.connect(self._rolled)
        self.roller.failed.connect(self._failed)
        self.roller.differed.connect(self._differed)
        self.roller.busy_changed.connect(self._busy_changed)
        self.roller.progressed.connect(self._progressed)
        self.roller.looked.connect(self._looked)
        self._loader = Loader(self)
        self._loader.loaded.connect(self._loaded)
        self._loader.failed.connect(self._load_failed)

    @property
    def busy(self) -> bool:
        """Whether a take is being rolled."""
        return self.roller.busy

    @property
    def is_awaited(self) -> bool:
        """Whether a take is being rolled or read."""
        return self.busy or self._loader.busy

    @property
    def take(self) -> Take | None:
        """The take that is shown."""
        if self.current:
            return self.current.loaded.take
        return None

    def close(self) -> None:
        """End the worker process and remove this visit's takes."""
        # What the worker still had to say as it ended would be read otherwise.
        self.roller.close()
        self._loader.close()
        shutil.rmtree(self._folder, ignore_errors=True)

    # rolling

    def _busy_changed(self, busy: bool) -> None:
        self.percent = None
        self.busy_changed.emit(busy)

    def _progressed(self, ticks: int, of: int) -> None:
        self.percent = min(99, int(100 * ticks / max(1, of)))
        self.progressed.emit(ticks)

    def next_file(self) -> Path:
        """The file for the next take; another one at each call."""
        self._files += 1
        return self._folder / f"{self._files}.take"

    def compare_next(self) -> None:
        """Compare the next take with the one that is shown now.

        Called at the first step of an edit only: after a drag the author wants
        to know what the whole drag changed.
        """
        is_kept = any(each is self.current for each in self.kept)
        if is_kept:
            self._before = self.current
        else:
            if self.kept:
                self._before = self.kept[-1]
            else:
                self._before = None

    def order(self, order: RollOrder, wished: int | None = None) -> None:
        """Roll this instead of whatever is being rolled. What there is of it
        is shown as soon as it reaches beyond the tick that is wished for, or
        every so often without one.
        """
        self._forget_look()
        self._look_clock.invalidate()
        self._ordered = OrderedRoll(order, order.project)
        look = None
        if wished is not None and not self.compares:
            look = Look(self._begin_look(), wished)
        self.roller.order(order, look)

    def branch(
        self, order: RollOrder, says: str, parent: "NumberedTake | None" = None
    ) -> None:
        """Roll a branch of a take, the one that is shown unless another is
        given; `says` is what is done in it.
        """
        parent = parent or self.current
        if parent is not None:
            self._forget_look()
            self._ordered = OrderedRoll(order, parent.project, parent, says)
            self.roller.order(order)

    def order_other(self, order: RollOrder, called: str) -> None:
        """Roll something that the shown take is then compared with."""
        self._forget_look()
        self._ordered = OrderedRoll(order, order.project, called=called)
        self.roller.order(order)

    def look(self) -> None:
        """Show what there is so far of the take that is being played, unless
        that is on its way.
        """
        if self._look is None:
            self.roller.look(self._begin_look())

    def _begin_look(self) -> Path:
        """The file for a look, which is on its way from now on."""
        self._look = path = self.next_file()
        self._look_clock.start()
        return path

    def look_at_roll(self) -> None:
        """The same of a take that is rolled for itself. Branches, and all that
        is compared, come as a whole: where two takes part is known at their
        end only.
        """
        ordered = self._ordered
        is_alone = (
            ordered is not None
            and ordered.parent is None
            and not ordered.called
        )
        clock = self._look_clock
        is_due = not clock.isValid() or clock.hasExpired(self._look_again_ms)
        if is_alone and is_due and not self.compares:
            self.look()

    def stop_looking(self) -> None:
        """Show no more of the take that was being played; another one will
        come.
        """
        self._forget_look()
        self._loader.drop()

    def _looked(self, reply: Reply) -> None:
        path, look = reply.look, self._look
        if path is None:
            return
        if path != look:
            remove_later(path)
            return
        past = self._kept_at(reply.past)
        if reply.past is not None and past is None:
            # What it goes on from is not here, or not any more.
            self._look_anew()
            return
        self._goes_on = past is not None
        # From here on it costs this process time, which the next look waits
        # for a multiple of.
        self._look_clock.start()
        before, other = self._compared_with(), None
        if before is not None:
            other = before.loaded.take
        self._loader.request(Load(path, other, is_live=True, past=past))

    def _kept_at(self, path: Path | None) -> Take | None:
        """The take of a file, if it is one of those to go back to."""
        for entry in self.kept:
            if entry.loaded.take.path == path:
                return entry.loaded.take
        return None

    def _load_failed(self, message: str) -> None:
        """A take, or a look at one, could not be read. Another look may be
        asked for then.
        """
        if self._goes_on and self._look is not None:
            log.error("a look could not go on from a take: %s", message)
            self._look_anew()
            return
        self._forget_look()
        self.message.emit(message)

    def _look_anew(self) -> None:
        """Have all that has been played written, instead of what goes on from
        another take.
        """
        self._forget_look()
        self.look()

    def _forget_look(self) -> None:
        """Remove the file of the last look, so that another one can be asked
        for.
        """
        if self._look is not None:
            remove_later(self._look)
            self._look, self._goes_on = None, False

    def _shown_so_far(self, loaded: Loaded) -> None:
        """A look at a take that is being played has come."""
        self._forget_look()
        if (
            self.busy
            and self.current is not None
            and loaded.take.ticks <= self.wished()
        ):
            # The playhead was moved on while this look was on its way: it does
            # not reach there.
            return
        took_ms = self._look_clock.elapsed()
        self._look_again_ms = took_ms + max(
            LOOK_AGAIN_MS, LOOK_SHARE * took_ms
        )
        doing = "rehearsing"
        if self.busy:
            doing = "rolling…"
        self._show(NumberedTake(0, loaded, doing, loaded.take.header.project))

    def _failed(self, message: str) -> None:
        """No take comes of what was rolled: show a whole one rather than a
        part of that.
        """
        self._forget_look()
        if (
            self.kept
            and self.current is not None
            and not self.current.is_finished
        ):
            self._show(self.kept[-1])
        self.message.emit(message)

    def _differed(self, where: str, is_newest: bool) -> None:
        """A take that went on from a snapshot has been found to be wrong: play
        it again.
        """
        log.error("a resumed take was not right: %s", where)
        ordered = self._ordered
        plays_again = is_newest and ordered is not None
        follows = "A newer one has come"
        if plays_again:
            follows = "It is played again from its first tick"
        self.message.emit(
            f"A take was not quite right ({where}): it had gone on from where it differs from the "
            f"one before. {follows}, and no take goes on like that any more. This is a fault of "
            "Umbrant; please report it."
        )
        if is_newest and ordered is not None:
            # Into a file of its own, for the one that is wrong may still be
            # being read.
            order = replace(ordered.order, path=self.next_file())
            self._ordered = replace(ordered, order=order)
            self.roller.order(order)

    def _compared_with(self) -> NumberedTake | None:
        """The take that the one which is being rolled is compared with."""
        ordered = self._ordered
        if ordered is not None and ordered.parent is not None:
            return ordered.parent
        return self._before

    def _rolled(self, reply: Reply) -> None:
        self._forget_look()
        if reply.take is None:
            return
        ordered = self._ordered
        if (
            ordered is not None
            and ordered.order.path == reply.take
            and ordered.called
        ):
            self.compare_with_file(reply.take, ordered.called)
            return
        before = self._compared_with()
        is_branch = ordered is not None and ordered.parent is not None
        other, against = None, ""
        if before is not None:
            other, against = before.loaded.take, before.title
        self._against[reply.take] = against
        expectations: tuple[NamedExpectation, ...] = ()
        if not is_branch:
            expectations = self.expectations()
        self._loader.request(
            Load(
                reply.take,
                other,
                is_branch=is_branch,
                compares=self.compares or is_branch,
                expectations=expectations,
            )
        )

    # comparing

    def show_compared(self, on: bool) -> None:
        """Show the take beside the one that it is compared with, or alone."""
        self.compares = on
        entry = self.current
        if on and entry is not None and entry.loaded.comparison is None:
            before = entry.loaded.before
            if before is None:
                self.message.emit(
                    "There is nothing to compare this take with yet. Change something, or choose "
                    "a take to compare it with."
                )
                return
            self._compare(entry, before, entry.against)
        elif entry is not None:
            self._show(entry)

    def compare_with(self, number: int) -> None:
        """Compare the take that is shown with one of the others, by its
        number.
        """
        entry = self.current
        for other in self.kept:
            if (
                entry is not None
                and other.number == number
                and other is not entry
            ):
                self._compare(entry, other.loaded.take, other.title)

    def compare_with_file(self, path: Path, called: str) -> None:
        """Compare the take that is shown with one from a file."""
        if self.current is not None:
            self._compare(self.current, path, called)

    def _compare(
        self, entry: NumberedTake, before: Take | Path, called: str
    ) -> None:
        self.compares = True
        self._against[entry.loaded.take.path] = called
        path = entry.loaded.take.path
        self._loader.request(
            Load(path, before, compares=True, shown=entry.loaded)
        )

    def tree(self) -> Iterator[tuple[int, NumberedTake]]:
        """The takes to go back to, the newest first, each followed by its
        branches one step deeper.
        """
        kept = {entry.number for entry in self.kept}
        roots = [entry for entry in self.kept if entry.parent not in kept]
        waiting = [(0, entry) for entry in roots]
        while waiting:
            depth, entry = waiting.pop()
            yield depth, entry
            branches = [
                each for each in self.kept if each.parent == entry.number
            ]
            waiting.extend((depth + 1, each) for each in branches)

    def drop(self) -> None:
        """Drop the take that is shown, and show its parent, or the one before."""
        entry = self.current
        others = [each for each in self.kept if each is not entry]
        if entry is None or not others:
            self.message.emit(
                "This is the only take. A new one takes its place."
            )
            return
        self.kept = others
        self._remove_file(entry)
        parent = next(
            (each for each in others if each.number == entry.parent),
            others[-1],
        )
        self._show(parent)

    def set_broken(self, found: Sequence[BrokenExpectation]) -> None:
        """What the take that is shown breaks of the expectations as they now
        are.
        """
        entry = self.current
        if entry is None or tuple(found) == entry.loaded.broken:
            return
        loaded = replace(entry.loaded, broken=tuple(found))
        changed = replace(entry, loaded=loaded)
        self.kept = [changed if each is entry else each for each in self.kept]
        self._show(changed)

    # showing

    def open(self, path: Path) -> None:
        """Show a take from a file."""
        self._loader.request(Load(path))

    def show(self, number: int) -> None:
        """Show one of the kept takes again, by its number; nothing if it is
        not kept any more.
        """
        for entry in self.kept:
            if entry.number == number:
                self._show(entry)

    def explainer(self, agent: str, catalog: Catalog) -> Explainer | None:
        """What answers questions about an agent in the take that is shown;
        None if it plays no part in it.
        """
        take = self.take
        if take is None or agent not in take.agents:
            return None
        kept = self._explainers.get(agent)
        if kept is None or kept.catalog is not catalog:
            kept = self._explainers[agent] = Explainer(take, agent, catalog)
        return kept

    def _show(self, entry: NumberedTake) -> None:
        self.current = entry
        self.times_shown += 1
        self._explainers = {}
        self.shown.emit()

    def _loaded(self, loaded: Loaded) -> None:
        if loaded.request.shown is not None:
            self._compared(loaded)
            return
        if loaded.request.is_live:
            self._shown_so_far(loaded)
            return
        self._numbered += 1
        ordered = self._ordered
        is_ordered = (
            ordered is not None and ordered.order.path == loaded.take.path
        )
        parent = None
        if ordered is not None and is_ordered:
            parent = ordered.parent
        parent_number = None
        if parent is not None:
            parent_number = parent.number
        if ordered is not None and is_ordered:
            played = ordered.project
        else:
            played = loaded.take.header.project
        says = ""
        if ordered is not None and parent:
            says = ordered.says
        entry = NumberedTake(
            self._numbered,
            loaded,
            self._label(loaded, says),
            played,
            parent_number,
            self._against.get(loaded.take.path, ""),
        )
        for dropped in self.kept[: -KEPT_TAKES + 1]:
            self._remove_file(dropped)
        self.kept = [*self.kept[-KEPT_TAKES + 1 :], entry]
        self._show(entry)
        take = loaded.take
        noticed = noticed_in(take)
        if not take.is_complete:
            ended = take.ended.rstrip(".")
            self.message.emit(
                f"This take is not whole: {ended}. It shows what was recorded."
            )
        elif noticed:
            self.message.emit(noticed)
        else:
            self.arrived.emit()

    def _compared(self, loaded: Loaded) -> None:
        """A take that is shown has been compared with another one."""
        for index, entry in enumerate(self.kept):
            if entry.loaded is loaded.request.shown:
                against = self._against.get(loaded.take.path, "")
                self.kept[index] = replace(
                    entry, loaded=loaded, against=against
                )
                self._show(self.kept[index])

    def _label(self, loaded: Loaded, says: str) -> str:
        header, take = loaded.take.header, loaded.take
        if header.branched_at is not None and says:
            return f"Take {self._numbered} ↱ {header.seconds(header.branched_at):.2f} s · {says}"
        length_s = header.seconds(take.ticks)
        cut = " · cut short"
        if take.is_complete:
            cut = ""
        return f"Take {self._numbered} · seed {header.seed} · {length_s:.1f} s{cut}"

    def _remove_file(self, entry: NumberedTake) -> None:
        path = entry.loaded.take.path
        # A take that the author opened from elsewhere is the author's.
        if path.parent == self._folder:
            remove_later(path)
