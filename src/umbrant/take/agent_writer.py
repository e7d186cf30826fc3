"""Hearing what one agent does, and keeping what is news.

What is told at nearly every tick is told to an object for each place, which knows what it was told last.
"""

from collections.abc import Callable

from umbrant.catalog.language.found import Found
from umbrant.catalog.work import Gauge, Measured, Progress, Refused
from umbrant.engine.recorder import Running
from umbrant.model.edits import ROW
from umbrant.model.values import Literal
from umbrant.take.gathered import Gathered
from umbrant.take.headway import Headway
from umbrant.take.tables import stored
from umbrant.take.told import Counts, Finds, Gauges, Refusals, Spans


class AgentWriter:
    """Hears what one agent does (it is an engine's `Recorder`) and keeps what is new until the next flush."""

    def __init__(self, name: str, gathered: Gathered) -> None:
        self._name = name
        self._gathered = gathered
        self._spans: dict[str, Spans] = {}
        self._refusals: dict[tuple[str, str], Refusals] = {}
        self._progress: dict[str, Headway] = {}

    def running(self, row_id: str) -> Running:
        if row_id not in self._spans:
            self._spans[row_id] = Spans((self._name, row_id, ROW), self._gathered)
        return self._spans[row_id]

    def refusing(self, row_id: str, part: str) -> Refused:
        place = (row_id, part)
        if place not in self._refusals:
            self._refusals[place] = Refusals((self._name, row_id, part), self._gathered)
        return self._refusals[place]

    def sensing(self, row_id: str, part: str) -> Callable[[int, Found | None], None]:
        return Finds((self._name, row_id, part), self._gathered).add

    def progressing(self, row_id: str) -> Callable[[Progress], None]:
        if row_id not in self._progress:
            self._progress[row_id] = Headway((self._name, row_id, ROW), self._gathered)
        return self._progress[row_id].add

    def gauging(self, row_id: str, part: str) -> Callable[[Gauge], None]:
        known: dict[Measured, Gauges] = {}
        told: Gauges | None = None

        def gauged(gauge: Gauge) -> None:
            nonlocal told
            if told is None or told.measured is not gauge.measured:
                place = (self._name, row_id, part)
                told = known.setdefault(gauge.measured, Gauges(place, gauge.measured, self._gathered))
            told.add(gauge)

        return gauged

    def counting(self, row_id: str, part: str) -> Callable[[], None]:
        return Counts((self._name, row_id, part), self._gathered).add

    def wrote(self, board: str, key: str, value: Literal | None, row_id: str, part: str) -> None:
        self._gathered.keys.append((self._name, board, key, self._gathered.tick, stored(value), row_id, part))

    def heard(self, event: str, sender: str) -> None:
        self._gathered.heard.append((self._name, self._gathered.tick, event, sender))
