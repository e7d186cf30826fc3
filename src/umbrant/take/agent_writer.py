"""Hearing what one agent does, and keeping what is news.

What is told at nearly every tick is told to an object for each place, which
knows what it was told last.
"""

from collections.abc import Callable

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.atom_results import AtomResult
from umbrant.catalog.protocols import (
    Gauge,
    Measured,
    Progress,
    RefusalLog,
    discard,
)
from umbrant.catalog.written_facts import (
    NO_FACTS,
    RowFacts,
    WrittenFacts,
    without_written,
)
from umbrant.engine.recorder import RowLog
from umbrant.model.parts import ROW
from umbrant.model.values import Value
from umbrant.take.buffer import StepCounter, TakeBuffer
from umbrant.take.chunks import (
    AtomChunk,
    CountChunk,
    GaugeChunk,
    RefusalChunk,
    SpanChunk,
)
from umbrant.take.progress_recorder import ProgressRecorder
from umbrant.take.tables import cause_text, stored


class AgentWriter:
    """The engine's `Recorder` of one agent: buffers its events until the chunk
    ends.

    There is one buffer for each row, part and kind of event, whoever asks for
    it: pieces are matched by these three.
    """

    def __init__(self, name: str, buffer: TakeBuffer) -> None:
        self._name = name
        self._buffer = buffer
        self._counter = StepCounter(buffer)
        self._of_body: WrittenFacts = NO_FACTS
        self._of_rows: RowFacts = {}
        self._spans: dict[str, SpanChunk] = {}
        self._refusals: dict[tuple[str, str], RefusalChunk] = {}
        self._atoms: dict[tuple[str, str], AtomChunk] = {}
        self._counts: dict[tuple[str, str], CountChunk] = {}
        self._gauges: dict[tuple[str, str, Measured], GaugeChunk] = {}
        self._progress: dict[str, ProgressRecorder] = {}

    def know(self, body: WrittenFacts, rows: RowFacts) -> None:
        self._of_body, self._of_rows = body, rows

    def _facts(self, row_id: str, part: str) -> WrittenFacts:
        return self._of_rows.get((row_id, part), NO_FACTS)

    def running(self, row_id: str) -> RowLog:
        if row_id not in self._spans:
            self._spans[row_id] = SpanChunk(
                (self._name, row_id, ROW), self._buffer, self._counter
            )
        chunk = self._spans[row_id]
        chunk.written = self._facts(row_id, ROW)
        return chunk

    def refusing(self, row_id: str, part: str) -> RefusalLog:
        place = (row_id, part)
        if place not in self._refusals:
            self._refusals[place] = RefusalChunk(
                (self._name, row_id, part), self._buffer, self._counter
            )
        chunk = self._refusals[place]
        chunk.written = self._facts(row_id, part)
        return chunk

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        place = (row_id, part)
        if place not in self._atoms:
            self._atoms[place] = AtomChunk(
                (self._name, row_id, part), self._buffer, self._counter
            )
        chunk = self._atoms[place]
        chunk.written = self._of_body
        return chunk.add

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        if row_id not in self._progress:
            self._progress[row_id] = ProgressRecorder(
                (self._name, row_id, ROW), self._buffer
            )
        return self._progress[row_id].add

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        chunk: GaugeChunk | None = None

        def gauged(gauge: Gauge) -> None:
            nonlocal chunk
            if chunk is None or chunk.measured is not gauge.measured:
                chunk = self._gauge_chunk(row_id, part, gauge.measured)
            chunk.add(gauge)

        return gauged

    def _gauge_chunk(
        self, row_id: str, part: str, measured: Measured
    ) -> GaugeChunk:
        place = (row_id, part, measured)
        if place not in self._gauges:
            self._gauges[place] = GaugeChunk(
                (self._name, row_id, part), measured, self._buffer
            )
        chunk = self._gauges[place]
        chunk.written = self._facts(row_id, part)
        return chunk

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        place = (row_id, part)
        if place not in self._counts:
            self._counts[place] = CountChunk(
                (self._name, row_id, part), self._buffer, self._counter
            )
        return self._counts[place].add

    def wrote(
        self,
        board: str,
        key: str,
        value: Value | None,
        row_id: str,
        part: str,
        because: Cause | None = None,
    ) -> None:
        tick, step = self._buffer.tick, self._counter.next()
        if because is not None:
            because = without_written(because, self._of_body)
        self._buffer.keys.append(
            (
                self._name,
                board,
                key,
                tick,
                step,
                stored(value),
                row_id,
                part,
                cause_text(because),
            )
        )

    def received(self, event: str, sender: str) -> None:
        tick, step = self._buffer.tick, self._counter.next()
        self._buffer.received.append((self._name, tick, step, event, sender))

    def raised(
        self, event: str, receiver: str, row_id: str, part: str
    ) -> None:
        tick, step = self._buffer.tick, self._counter.next()
        self._buffer.raised.append(
            (self._name, tick, step, event, receiver, row_id, part)
        )

    def said(self, text: str) -> None:
        """Record what the agent's body said at this tick."""
        self._buffer.said_lines.append(
            (self._name, self._buffer.tick, self._counter.next(), text)
        )


class CountingWriter(AgentWriter):
    """The recorder of an agent in a take of which only counts are wanted: what
    conditions found, how far actions were and what options scored is not kept.
    """

    def sensing(
        self, row_id: str, part: str
    ) -> Callable[[int, AtomResult | None], None]:
        return discard

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        return discard

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        gauged = super().gauging(row_id, part)

        def rolled(gauge: Gauge) -> None:
            # How often a chance let a row in is counted; of other numbers
            # nothing is.
            if gauge.measured is Measured.ROLL:
                gauged(gauge)

        return rolled
