"""Writing a take as it goes, so that a crash keeps what was recorded up to a moment before."""

import math
import os
import sqlite3
from collections.abc import Callable, Sequence
from pathlib import Path

from umbrant.catalog.causes import Cause, one_line
from umbrant.catalog.language.ask import Found
from umbrant.catalog.work import Gauge, Measured, Progress, Status
from umbrant.model.values import Literal, Point
from umbrant.take.header import Header
from umbrant.take.record import Outcome, Refusal, Span
from umbrant.take.tables import (
    ENDED,
    HEADER,
    RECORDED,
    SCHEMA,
    WHOLE,
    cause_text,
    packed,
    packed_numbers,
    packed_ticks,
    stored,
)

FLUSH_S = 5.0
"""How many seconds of what is played are gathered before they go to disk."""

NOWHERE = math.nan, math.nan

NO_CAUSE = Cause("guard")
"""Stands for the refusal before the first."""

EVEN = 1e-6
"""How far off what is left may be from going on evenly and still count as doing so."""

_OUTCOMES = {Status.SUCCESS: Outcome.SUCCESS, Status.FAILURE: Outcome.FAILURE, None: Outcome.STOPPED}


class TakeError(Exception):
    """A take cannot be written or read. The message names the file and the way out."""


Place = tuple[str, str, str]
"""An agent, a row and a part of it."""


class _Refusals:
    """The refusals of one part of a row. Said again tick after tick, one only gets longer."""

    def __init__(self, place: Place, take: "TakeWriter") -> None:
        self._place = place
        self._take = take
        self._last = Refusal(-2, -2, NO_CAUSE)

    def add(self, cause: Cause) -> None:
        last, tick = self._last, self._take.tick
        if last.end >= tick - 1 and (last.cause is cause or last.cause == cause):
            last.end = tick
        else:
            self._last = Refusal(tick, tick, cause)
            self._take.refusals.append((self._take.number(), *self._place, self._last))


class _Progress:
    """How far one row is. What could be told from before is not kept, for most things go on evenly."""

    def __init__(self, agent: str, row_id: str, take: "TakeWriter") -> None:
        self._place = agent, row_id
        self._take = take
        self._since = 0
        self._left: float | None = None
        self._of: float | None = None
        self._unit: str | None = None
        self._rate = 0.0
        self._way: tuple[Point, ...] | None = None
        self._next, self._expected = -1, 0.0
        """The tick after that at which it was told last, and how much is left then if it goes on evenly."""
        self._row: list[object] = []
        """What was kept last, which a second step that is as even as the first completes until it is on disk."""
        self._flushes = 0

    def add(self, progress: Progress) -> None:
        tick, left = self._take.tick, progress.left
        if (
            tick == self._next
            and left is not None
            and -EVEN < left - self._expected < EVEN
            and progress.of == self._of
            and progress.unit == self._unit
            and progress.way == self._way
        ):
            self._next = tick + 1
            self._expected -= self._rate
        else:
            self._add(progress, tick)

    def _add(self, progress: Progress, tick: int) -> None:
        left, of, unit = progress.left, progress.of, progress.unit
        if progress.way != self._way:
            self._way = way = progress.way
            self._take.ways.append((*self._place, tick, one_line(way)))
        goes_on = unit == self._unit and of == self._of
        if not goes_on or not self._is_even(left, tick):
            self._keep(left, of, unit, tick, goes_on=goes_on)
        if left is not None:
            self._next, self._expected = tick + 1, left - self._rate

    def _is_even(self, left: float | None, tick: int) -> bool:
        """Whether what is left can be told from what was kept last."""
        if self._left is None or left is None:
            return self._left is left
        return abs(self._left - self._rate * (tick - self._since) - left) < EVEN

    def _keep(self, left: float | None, of: float | None, unit: str, tick: int, *, goes_on: bool) -> None:
        follows = goes_on and tick == self._since + 1 and left is not None and self._left is not None
        rate = self._left - left if follows and self._left is not None and left is not None else 0.0
        completes = follows and self._rate == 0.0 and self._flushes == self._take.flushes
        self._since, self._left, self._of, self._unit, self._rate = tick, left, of, unit, rate
        if completes:
            self._row[-1] = rate
            return
        self._row = [*self._place, tick, left, of, unit, rate]
        self._flushes = self._take.flushes
        self._take.progress.append(self._row)


class _Gauges:
    """The numbers of one measure that a part of a row has told since the last flush, each when it was news."""

    def __init__(self, place: Place, measured: Measured, take: "TakeWriter") -> None:
        self.measured = measured
        self._place = place
        self._take = take
        self._last: Gauge | None = None
        self._ticks: list[int] = []
        self._values: list[float] = []
        self._wholes: list[float] = []
        self._abouts: list[str] = []

    def add(self, gauge: Gauge) -> None:
        last = self._last
        if last is not None and gauge.value == last.value and gauge.of == last.of and gauge.about == last.about:
            return
        self._last = gauge
        if not self._ticks:
            self._take.gauges.append(self)
        self._ticks.append(self._take.tick)
        self._values.append(gauge.value)
        self._wholes.append(math.nan if gauge.of is None else gauge.of)
        self._abouts.append(gauge.about)

    def columns(self) -> tuple[object, ...]:
        """All of them as one row of the table, the measure and the arrays."""
        abouts = one_line(self._abouts) if any(self._abouts) else None
        numbers = packed_ticks(self._ticks), packed_numbers(self._values), packed_numbers(self._wholes)
        return (*self._place, self.measured.value, *numbers, abouts)

    def clear(self) -> None:
        for told in (self._ticks, self._values, self._wholes, self._abouts):
            told.clear()


class AgentWriter:
    """Hears what one agent does (it is an engine's `Recorder`) and keeps what is new until the next flush."""

    def __init__(self, name: str, take: "TakeWriter") -> None:
        self._name = name
        self._take = take
        self._open: dict[str, tuple[int, Span]] = {}
        self._refusals: dict[tuple[str, str], _Refusals] = {}
        self._progress: dict[str, _Progress] = {}

    def entered(self, row_id: str) -> None:
        number = self._take.number()
        span = Span(self._take.tick)
        self._open[row_id] = (number, span)
        self._take.spans[number] = (self._name, row_id, span)

    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None:
        number, span = self._open.pop(row_id)
        span.end, span.outcome, span.cause = self._take.tick, _OUTCOMES[status], cause
        self._take.spans[number] = (self._name, row_id, span)

    def refusing(self, row_id: str, part: str) -> Callable[[Cause], None]:
        place = (row_id, part)
        if place not in self._refusals:
            self._refusals[place] = _Refusals((self._name, row_id, part), self._take)
        return self._refusals[place].add

    def sensing(self, row_id: str, part: str) -> Callable[[int, Found | None], None]:
        take, place = self._take, (self._name, row_id, part)

        def sensed(atom: int, found: Found | None) -> None:
            take.sensed.append((*place, atom, take.tick, *_found_columns(found)))

        return sensed

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        if row_id not in self._progress:
            self._progress[row_id] = _Progress(self._name, row_id, self._take)
        return self._progress[row_id].add

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        known: dict[Measured, _Gauges] = {}
        told: _Gauges | None = None

        def gauged(gauge: Gauge) -> None:
            nonlocal told
            if told is None or told.measured is not gauge.measured:
                place = (self._name, row_id, part)
                told = known.setdefault(gauge.measured, _Gauges(place, gauge.measured, self._take))
            told.add(gauge)

        return gauged

    def wrote(self, board: str, key: str, value: Literal | None, row_id: str, part: str) -> None:
        self._take.keys.append((self._name, board, key, self._take.tick, stored(value), row_id, part))

    def heard(self, event: str, sender: str) -> None:
        self._take.heard.append((self._name, self._take.tick, event, sender))


class TakeWriter:
    """One take's file. `tick` is set by whoever plays; everything that is heard belongs to it.

    Raises TakeError where the file cannot be written. Use as a context: an exception inside is noted in the file.
    """

    def __init__(self, path: Path, header: Header, flush_s: float = FLUSH_S) -> None:
        self.tick = 0
        self.path = path
        self.spans: dict[int, tuple[str, str, Span]] = {}
        self.refusals: list[tuple[int, str, str, str, Refusal]] = []
        """Those that began since the last flush, and those that were going on then."""
        self.sensed: list[tuple[object, ...]] = []
        self.progress: list[list[object]] = []
        self.ways: list[tuple[object, ...]] = []
        self.keys: list[tuple[object, ...]] = []
        self.gauges: list[_Gauges] = []
        """Those that told anything since the last flush."""
        self.heard: list[tuple[object, ...]] = []
        self._props: list[tuple[object, ...]] = []
        self._places: dict[str, tuple[Point, str | None]] = {}
        self._said: list[tuple[str, int, str]] = []
        self._notices: list[tuple[str, int, str, str | None]] = []
        self._poses: dict[str, list[float]] = {}
        self._levels: dict[str, list[float]] = {}
        self.flushes = 0
        """How often what was gathered has gone to disk."""
        self._flushed = 0
        self._flush_ticks = max(1, round(flush_s * header.ticks_per_s))
        self._flush_at = self._flush_ticks - 1
        self._numbers = 0
        self._file = self._create(path)
        self._guarded(self._begin, header)

    def __enter__(self) -> "TakeWriter":
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        if error is None:
            self.close()
        else:
            self.close(f"{type(error).__name__}: {error}")

    def number(self) -> int:
        """The next number for a span or a refusal."""
        self._numbers += 1
        return self._numbers

    def agent(self, name: str) -> AgentWriter:
        """A recorder for one agent."""
        return AgentWriter(name, self)

    def said(self, name: str, text: str) -> None:
        """A body said something."""
        self._said.append((name, self.tick, text))

    def just_said(self) -> list[tuple[str, str]]:
        """What was said at this tick: who, and what."""
        return [(name, text) for name, tick, text in self._said if tick == self.tick]

    def noticed(self, name: str, what: str, cause: Cause) -> None:
        """Something of the scenario could not be done as written."""
        self._notices.append((name, self.tick, what, cause_text(cause)))

    def pose(self, name: str, place: Point | None, heading_deg: float) -> None:
        """Where a body is at this tick, None where it is not on the stage. Said once for each body and tick."""
        poses = self._poses.get(name)
        if poses is None:
            poses = self._poses[name] = []
        x, y = place or NOWHERE
        poses.extend((x, y, heading_deg))

    def prop(self, name: str, level: float | None, place: Point, carrier: str | None) -> None:
        """How full a prop is at this tick, and where; a level of None where it is not there.

        Said once for each prop and tick, from when it first is there.
        """
        levels = self._levels.get(name)
        if levels is None:
            levels = self._levels[name] = [math.nan] * (self.tick - self._flushed)
        levels.append(math.nan if level is None else level)
        if self._places.get(name) != (place, carrier):
            self._places[name] = place, carrier
            self._props.append((name, self.tick, place[0], place[1], carrier))

    def tick_done(self) -> None:
        """The tick is over; what is gathered goes to disk every so often."""
        if self.tick >= self._flush_at:
            self.flush()

    def flush(self) -> None:
        """Put all that is gathered on disk. Raises TakeError."""
        self._guarded(self._write_all)

    def close(self, ended: str = WHOLE) -> None:
        """Finish the file, with how the take ended. Raises TakeError."""
        try:
            self._guarded(self._end, ended)
        finally:
            self._file.close()

    def _create(self, path: Path) -> sqlite3.Connection:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            for ending in ("", "-wal", "-shm", "-journal"):
                Path(f"{path}{ending}").unlink(missing_ok=True)
            return sqlite3.connect(path, isolation_level=None)
        except (OSError, sqlite3.Error) as error:
            raise self._cannot(error) from error

    def _cannot(self, error: Exception) -> TakeError:
        reason = os.strerror(error.errno) if isinstance(error, OSError) and error.errno else str(error)
        return TakeError(f"{self.path}: the take cannot be written: {reason}. Choose another place, or make room.")

    def _guarded(self, work: object, *args: object) -> None:
        try:
            work(*args)  # type: ignore[operator]
        except sqlite3.Error as error:
            raise self._cannot(error) from error

    def _begin(self, header: Header) -> None:
        self._file.execute("PRAGMA journal_mode=WAL")
        self._file.execute("PRAGMA synchronous=OFF")
        self._file.executescript(SCHEMA)
        self._meta(HEADER, header.model_dump_json())
        self._meta(RECORDED, "0")

    def _end(self, ended: str) -> None:
        self._write_all()
        self._meta(ENDED, ended)
        self._file.execute("PRAGMA journal_mode=DELETE")

    def _meta(self, name: str, value: str) -> None:
        self._file.execute("INSERT OR REPLACE INTO meta VALUES (?, ?)", (name, value))

    def _write_all(self) -> None:
        first = self._flushed
        self._file.execute("BEGIN")
        self._put("INSERT OR REPLACE INTO span VALUES (?,?,?,?,?,?,?)", self._span_columns())
        self._put("INSERT OR REPLACE INTO refusal VALUES (?,?,?,?,?,?,?)", self._refusal_columns())
        self._put("INSERT INTO sensed VALUES (?,?,?,?,?,?,?,?,?,?)", self.sensed)
        self._put("INSERT INTO progress VALUES (?,?,?,?,?,?,?)", self.progress)
        self._put("INSERT INTO way VALUES (?,?,?,?)", self.ways)
        self._put("INSERT INTO gauge VALUES (?,?,?,?,?,?,?,?)", [gauges.columns() for gauges in self.gauges])
        self._put("INSERT INTO key VALUES (?,?,?,?,?,?,?)", self.keys)
        self._put("INSERT INTO heard VALUES (?,?,?,?)", self.heard)
        self._put("INSERT INTO prop VALUES (?,?,?,?,?)", self._props)
        self._put("INSERT INTO said VALUES (?,?,?)", self._said)
        self._put("INSERT INTO notice VALUES (?,?,?,?)", self._notices)
        self._put("INSERT INTO pose VALUES (?,?,?)", [(n, first, packed(p)) for n, p in self._poses.items()])
        self._put("INSERT INTO level VALUES (?,?,?)", [(n, first, packed(p)) for n, p in self._levels.items()])
        self.flushes += 1
        self._flushed = first + max((len(poses) // 3 for poses in self._poses.values()), default=0)
        self._flush_at = self._flushed + self._flush_ticks - 1
        self._meta(RECORDED, str(self._flushed))
        self._file.execute("COMMIT")
        self.refusals = [each for each in self.refusals if each[-1].end >= self.tick]
        for gauges in self.gauges:
            gauges.clear()
        for kept in (self.spans, self._poses, self._levels):
            kept.clear()
        gathered = (self.sensed, self.progress, self.ways, self.keys, self.gauges, self.heard, self._props)
        for listed in (*gathered, self._said, self._notices):
            listed.clear()

    def _put(self, statement: str, rows: Sequence[Sequence[object]]) -> None:
        if rows:
            self._file.executemany(statement, rows)

    def _span_columns(self) -> Sequence[tuple[object, ...]]:
        return [
            (number, agent, row_id, span.start, span.end, span.outcome and span.outcome.value, cause_text(span.cause))
            for number, (agent, row_id, span) in self.spans.items()
        ]

    def _refusal_columns(self) -> Sequence[tuple[object, ...]]:
        return [
            (number, agent, row_id, part, refusal.start, refusal.end, cause_text(refusal.cause))
            for number, agent, row_id, part, refusal in self.refusals
        ]


def _found_columns(found: Found | None) -> tuple[object, ...]:
    if found is None:
        return 0, None, None, None, None
    return 1, found.truth, stored(found.left), stored(found.right), cause_text(found.cause)
