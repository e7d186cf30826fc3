"""Reading a take back, whole or as far as it was written when a crash cut it
short.
"""

import sqlite3
from collections.abc import Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from umbrant.catalog.causes import Cause
from umbrant.engine.recorder import WORLD
from umbrant.model.printable import printable
from umbrant.take.errors import TakeError
from umbrant.take.header import FORMAT, Header
from umbrant.take.past import (
    Rewriting,
    agent_before,
    events_before,
    known_before,
    samples_before,
)
from umbrant.take.record import (
    AgentRecord,
    Changes,
    CueStep,
    KeyWrite,
    PropPlace,
)
from umbrant.take.stored.tables import (
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
    NUMBER_OF,
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
    boards: dict[str, dict[str, Changes[KeyWrite]]]
    """The keys that several agents share, by board. The same stand in the
    records of the agents.
    """

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
    return _TakeReading(only).read(path)


def read_on(path: Path, before: Take) -> Take:
    """Read a file that goes on from another take, in which the same was done
    up to there. Raises TakeError if it is no such file, or is damaged.
    """
    return _TakeReading(before=before).read(path)


class _TakeReading:
    """A take while it is read."""

    def __init__(
        self, only: str | None = None, before: Take | None = None
    ) -> None:
        self._only = only
        self._before = before
        """What it goes on from, if it does."""
        self._agents: dict[str, AgentRecord] = {}
        self._nobody = AgentRecord()
        self._shared: dict[str, dict[str, Changes[KeyWrite]]] = {}
        """The keys of each board that several agents share."""
        self._poses: list[Samples] = []
        self._levels: list[Samples] = []
        self._props: dict[str, Changes[PropPlace]] = {}
        self._cues: list[CueStep] = []

    def read(self, path: Path) -> Take:
        """The take in a file. Raises TakeError, with the way out."""
        if not path.is_file():
            raise TakeError(
                f"{path}: there is no such take. `umbrant roll PROJECT` makes one."
            )
        try:
            with closing(
                sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
            ) as file:
                return self._read(file, path)
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

    def _read(self, file: sqlite3.Connection, path: Path) -> Take:
        check_tables(file, META_TABLE)
        meta = dict(stored_rows(file, "meta", name=str, value=str))
        header = _header(meta)
        check_tables(file, *TABLES)
        ticks = decoded("the number of ticks", int, meta.get(RECORDED))
        first = decoded("a tick", int, meta.get(GOES_ON_FROM, "0"))
        if not first <= ticks <= header.ticks:
            raise DamagedTake(
                f"it says that {ticks} of {header.ticks} ticks were recorded"
            )
        self._agents = {member.name: AgentRecord() for member in header.cast}
        self._begin(header, first)
        played = range(first, ticks)
        read_agents(file, header, self._agents, played, self._only)
        read_keys(file, header, self._agents, self._shared)
        read_said(file, self._agents)
        read_events(file, self._agents)
        read_notices(file, self._agents, self._nobody)
        self._cues += read_cues(file)
        self._poses += read_samples(file, "pose", "agent", "poses")
        self._levels += read_samples(file, "level", "prop", "levels")
        read_props(file, self._props)
        memory = DecodedValues(path.stat().st_size + self._size_before(first))
        return self._finished(path, header, ticks, meta, memory)

    def _size_before(self, first: int) -> int:
        """About how many bytes the samples of what it goes on from have."""
        return 4 * first * (3 * len(self._poses) + len(self._levels))

    def _begin(self, header: Header, first: int) -> None:
        """Begin with what was done before the first tick of the file. Raises
        DamagedTake where it goes on from something else.
        """
        before = self._before
        if before is None and first == 0:
            return
        if (
            before is None
            or not 0 < first <= before.ticks
            or before.agents.keys() != self._agents.keys()
        ):
            raise DamagedTake("it goes on from another take")
        rewriting = Rewriting(before.header, header)
        for name, record in before.agents.items():
            self._agents[name] = found = agent_before(record, first)
            for row_id in rewriting.rows_of(name):
                if row_id in found.rows:
                    rewriting.rewrite(name, row_id, found.rows[row_id])
        # These take the place of what was kept of them for each agent.
        self._shared = {
            board: known_before(keys, first)
            for board, keys in before.boards.items()
        }
        self._nobody.notices = events_before(before.notices, first)
        self._props = known_before(before.props, first)
        self._cues = events_before(before.cues, first)
        self._poses = samples_before(before.poses, first)
        self._levels = samples_before(
            {
                **before.levels,
                **{
                    f"{body}{NUMBER_OF}{number}": values
                    for body, numbers in before.body_numbers.items()
                    for number, values in numbers.items()
                },
            },
            first,
        )

    def _finished(
        self,
        path: Path,
        header: Header,
        ticks: int,
        meta: Mapping[str, str],
        memory: DecodedValues,
    ) -> Take:
        """All that has been read."""
        for member in header.cast:
            if member.behavior:
                for board in (member.group or "", WORLD):
                    self._agents[member.name].keys.update(
                        self._shared.get(board, {})
                    )
        flat = sample_arrays(self._poses, 3, ticks, memory)
        levels, body_numbers = by_thing(
            sample_arrays(self._levels, 1, ticks, memory)
        )
        return Take(
            path,
            header,
            ticks,
            meta.get(ENDED, "it was cut short while it was being rolled"),
            self._agents,
            {name: numbers.reshape(-1, 3) for name, numbers in flat.items()},
            levels,
            body_numbers,
            self._props,
            self._nobody.notices,
            self._cues,
            self._shared,
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
