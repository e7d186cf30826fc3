"""Reading a take back, whole or as far as it was written when a crash cut it
short.
"""

import sqlite3
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.engine.recorder import WORLD
from umbrant.model.printable import printable
from umbrant.take.errors import TakeError
from umbrant.take.header import FORMAT, Header
from umbrant.take.record import (
    AgentRecord,
    Changes,
    CueStep,
    KeyWrite,
    PropPlace,
)
from umbrant.take.stored.tables import (
    LastTicks,
    Samples,
    by_thing,
    read_agents,
    read_cues,
    read_events,
    read_keys,
    read_notices,
    read_props,
    read_said,
    read_samples,
    sample_arrays,
)
from umbrant.take.stored.values import (
    DamagedTake,
    DecodedValues,
    Float32Array,
    check_tables,
    decoded,
    stored_rows,
)
from umbrant.take.tables import (
    COMPLETE,
    ENDED,
    GOES_ON_FROM,
    HEADER,
    RECORDED,
    SCHEMA,
)

META_TABLE, *TABLES = (
    each.strip() for each in SCHEMA.strip().split(";") if each.strip()
)
"""How the tables are made. A file in which one is made in another way is not
ours.
"""


@dataclass(frozen=True)
class Take:
    """One recorded run, in memory. Never changed after it was read, so it may
    be shared between threads.
    """

    path: Path
    header: Header
    ticks: int
    """How many ticks were recorded."""
    ended: str
    """'complete', or what cut it short."""
    agents: dict[str, AgentRecord]
    poses: dict[str, Float32Array]
    """For each body: (ticks, 3) with x and y in metres and the heading in
    degrees.
    """
    levels: dict[str, Float32Array]
    """For each prop: its level at each tick, NaN where it is not there."""
    body_numbers: dict[str, dict[str, Float32Array]]
    """For each body that has some: its numbers, such as its energy, at each
    tick; NaN where it is not there.
    """
    props: dict[str, Changes[PropPlace]]
    """Where each prop was, and who carried it."""
    notices: list[tuple[int, str, Cause]]
    """What of the scenario could not be done: tick, what, why."""
    cues: list[CueStep]
    """The cues that were done, in the order in which they were."""

    def number_changes(self, body: str, number: str) -> Changes[float]:
        """A number of a body in hundredths, where it changes: as keys are
        kept. Numbers that drift change at nearly every tick, which nobody can
        see.
        """
        values = self.body_numbers.get(body, {}).get(number)
        if values is None or not len(values):
            return Changes()
        rounded = np.round(values.astype(np.float64), 2)
        # NaN is unlike itself, so where the body is away is no change but a
        # gap.
        known = ~np.isnan(rounded)
        differs = np.concatenate(([True], rounded[1:] != rounded[:-1])) & known
        ticks = np.flatnonzero(differs)
        return Changes(ticks.tolist(), rounded[ticks].tolist())

    @property
    def is_complete(self) -> bool:
        """Whether the scenario was played to its end."""
        return self.ended == COMPLETE

    @property
    def last_tick(self) -> int:
        """The last tick that can be looked at."""
        return max(0, self.ticks - 1)

    def clamp(self, tick: int) -> int:
        """The nearest tick that can be looked at."""
        return max(0, min(self.last_tick, tick))


def read_take(path: Path, only: str | None = None) -> Take:
    """Read a take. Raises TakeError, with the way out, if the file is no take
    or is damaged.

    With `only` the rows of that agent alone are read: enough to ask about it,
    and several times sooner where the cast is large. The records of the others
    then hold no rows.
    """
    reading = TakeReading(only)
    reading.add(path)
    return reading.take()


class TakeReading:
    """A take while it is read: from its file, or from several that go on from
    each other, as the parts of a look at one that is being played do.
    """

    def __init__(self, only: str | None = None) -> None:
        self._only = only
        self._path = Path()
        self._meta: Mapping[str, str] = {}
        self._header: Header | None = None
        self._ticks = 0
        self._size = 0
        """The size of the files together, in bytes."""
        self._agents: dict[str, AgentRecord] = {}
        self._nobody = AgentRecord()
        self._shared: dict[str, dict[str, Changes[KeyWrite]]] = {}
        """The keys of each board that several agents share."""
        self._last: LastTicks = {}
        self._poses: list[Samples] = []
        self._levels: list[Samples] = []
        self._props: dict[str, Changes[PropPlace]] = {}
        self._cues: list[CueStep] = []

    def add(self, path: Path) -> None:
        """Read a file. Raises TakeError, with the way out, if it is no take or
        is damaged; what has been read can then not be used.
        """
        if not path.is_file():
            raise TakeError(
                f"{path}: there is no such take. `umbrant roll PROJECT` makes one."
            )
        with self._telling_of_damage(path):
            size = path.stat().st_size
            with closing(
                sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
            ) as file:
                self._read(file)
            self._path, self._size = path, self._size + size

    def take(self) -> Take:
        """All that has been read, as a take in the last of the files. Nothing
        may be added to it any more. Raises TakeError.
        """
        with self._telling_of_damage(self._path):
            return self._finished()

    @staticmethod
    @contextmanager
    def _telling_of_damage(path: Path) -> Iterator[None]:
        try:
            yield
        except (
            sqlite3.Error,
            UnicodeDecodeError,
            OSError,
            DamagedTake,
        ) as error:
            # SQLite quotes what it finds in a damaged file, which need not be
            # text.
            reason = printable(
                (str(error) or type(error).__name__).splitlines()[0]
            )
            raise TakeError(
                f"{path}: this is no take, or it is damaged ({reason}). Roll the scenario again."
            ) from error

    def _read(self, file: sqlite3.Connection) -> None:
        check_tables(file, META_TABLE)
        meta = dict(stored_rows(file, "meta", name=str, value=str))
        header = self._header_of(meta)
        check_tables(file, *TABLES)
        ticks = decoded("the number of ticks", int, meta.get(RECORDED))
        if meta.get(GOES_ON_FROM, "0") != str(self._ticks):
            raise DamagedTake("it goes on from another file than was read")
        if not self._ticks <= ticks <= header.ticks:
            raise DamagedTake(
                f"it says that {ticks} of {header.ticks} ticks were recorded"
            )
        self._meta, self._ticks = meta, ticks
        read_agents(file, header, self._agents, ticks, self._only, self._last)
        read_keys(file, header, self._agents, self._shared)
        read_said(file, self._agents)
        read_events(file, self._agents)
        read_notices(file, self._agents, self._nobody)
        self._cues += read_cues(file)
        self._poses += read_samples(file, "pose", "agent", "poses")
        self._levels += read_samples(file, "level", "prop", "levels")
        read_props(file, self._props)

    def _header_of(self, meta: Mapping[str, str]) -> Header:
        """The header of a file, which is that of the first one."""
        if self._header is None:
            self._header = header = _header(meta)
            self._agents = {
                member.name: AgentRecord() for member in header.cast
            }
        elif meta.get(HEADER) != self._meta.get(HEADER):
            raise DamagedTake("it is of another take than was read")
        return self._header

    def _finished(self) -> Take:
        header = self._header
        if header is None:
            raise DamagedTake("nothing of it was read")
        for member in header.cast:
            if member.behavior:
                for board in (member.group or "", WORLD):
                    self._agents[member.name].keys.update(
                        self._shared.get(board, {})
                    )
        memory = DecodedValues(self._size)
        flat = sample_arrays(self._poses, 3, self._ticks, memory)
        levels, body_numbers = by_thing(
            sample_arrays(self._levels, 1, self._ticks, memory)
        )
        return Take(
            self._path,
            header,
            self._ticks,
            self._meta.get(
                ENDED, "it was cut short while it was being rolled"
            ),
            self._agents,
            {name: numbers.reshape(-1, 3) for name, numbers in flat.items()},
            levels,
            body_numbers,
            self._props,
            self._nobody.notices,
            self._cues,
        )


def _header(meta: Mapping[str, str]) -> Header:
    """What the take says of itself, with documents that can be read."""
    header = decoded(
        "the header", Header.model_validate_json, meta.get(HEADER)
    )
    if header.format != FORMAT:
        raise DamagedTake(f"its format is '{header.format}', not '{FORMAT}'")
    decoded("the documents", lambda each: each.played.players, header)
    return header
