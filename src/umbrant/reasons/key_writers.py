"""Who gave a key its value, and what kept those from it that were to write
it, in words.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import isclose

from umbrant.catalog.causes import Cause
from umbrant.catalog.language.tree import tree_of
from umbrant.catalog.references import keys_in
from umbrant.engine.board import FORMULA
from umbrant.model.parts import ROW, part_index
from umbrant.model.printable import a_or_an
from umbrant.model.values import Value, value_text
from umbrant.reasons.sentences import (
    Bit,
    Claim,
    ClaimKind,
    RowNames,
    TextRun,
    ago_text,
)
from umbrant.take.header import Header
from umbrant.take.record import AgentRecord, Changes, KeyWrite

WritePlace = tuple[str, str]
"""A row or an upkeep that writes a key: its row by id, and which part of that
it is.
"""
DEEPEST = 3
"""How often a copy is followed to what it was made from: what is copied round
and round has no beginning.
"""
FEW = 2
"""How many rows are named that write a key and have not run."""
HALF_A_TICK_S = 0.002
"""What differs by less is one time: the shortest tick is twice as long."""


@dataclass(frozen=True)
class KeyRead:
    """What is known of a key's value as it was read."""

    row_id: str = ""
    """The row that read it, or one that is entered no sooner: what is around
    it has done its upkeep by then.
    """
    value: Value | None = None
    is_known: bool = False
    """Whether it had this value."""
    is_set: bool | None = None
    """Whether it had any; None where nobody knows."""
    since_s: float | None = None
    """How long before it had been written last, where that was measured."""
    is_in_the_way: bool = True
    """Whether what was read kept something from happening."""

    def fits(self, value: Value | None, *, at_this_tick: bool) -> bool:
        """Whether a value is what may have been read, that was written at this
        tick or before it.
        """
        if self.is_set is not None and (value is not None) != self.is_set:
            return False
        if self.since_s is not None:
            return at_this_tick == (self.since_s < HALF_A_TICK_S)
        if self.is_known:
            return _same(value, self.value)
        return True


@dataclass(frozen=True)
class KeyWriters:
    """Says of the keys of one agent who wrote them."""

    header: Header
    agent: AgentRecord
    names: RowNames
    whose: str
    """The agent, by name."""
    places: Mapping[str, Sequence[WritePlace]]
    """By key the rows and upkeeps that may give it a value."""
    formulas: Mapping[str, str]
    """By key the formula that it always has the value of."""

    def of(
        self,
        key: str,
        called: str,
        tick: int,
        now: int,
        read: KeyRead,
    ) -> Iterator[Bit]:
        """Who gave a key the value that was read at a tick, as seen from
        `now`; of one that nothing wrote, what the upkeep found that was to
        write it, or that what writes it has not run. `called` is the name that
        the row has for the key.

        Nothing is said where the key was written within the tick as well, and
        nobody can know whether that came before or after it was read.
        """
        changes = self.agent.keys.get(key)
        if changes is None or changes.index(tick) < 0:
            yield from self._found_nothing(key, tick, now, read)
            return
        index = self._index_read(changes, tick, read)
        # Silence is no false word: who wrote it last may not be who wrote what
        # was read.
        if index is None:
            return
        written = list(self._written(key, called, index, tick, now))
        if written and read.since_s is not None:
            became_s = self.header.seconds(tick - changes.ticks[index])
            if became_s - read.since_s > HALF_A_TICK_S:
                again_s = self.header.seconds(now - tick) + read.since_s
                written.append(
                    f", and was last written so {ago_text(again_s)}"
                )
        yield from written or self._found_nothing(key, tick, now, read)

    def _index_read(
        self, changes: Changes[KeyWrite], tick: int, read: KeyRead
    ) -> int | None:
        """Which change of a key was read at a tick: the last one, or, if that
        came within the tick and only after it was read, the one before.
        """
        last = changes.index(tick)
        if changes.ticks[last] < tick:
            return last
        now, before = changes.values[last], changes.values[last - 1 : last]
        fits_now = read.fits(now.value, at_this_tick=True)
        fits_before = read.fits(
            before[0].value if before else None, at_this_tick=False
        )
        if fits_now and (not fits_before or self.came_first(now, read.row_id)):
            return last
        # A formula that had no value from the start: there was none to read
        # before either.
        if fits_now and last == 0 and now.value is None:
            return last
        if fits_before and not fits_now and before:
            return last - 1
        return None

    def came_first(self, written: KeyWrite, reader: str) -> bool:
        """Whether a write within a tick is sure to have come before a row read
        the key: by a cue, by one who is earlier in the cast, or by the upkeep
        of a row around it.
        """
        if not written.row_id:
            return written.part != FORMULA
        if written.agent and written.agent != self.whose:
            names = [each.name for each in self.header.played.players]
            return names.index(written.agent) < names.index(self.whose)
        family, _ = part_index(written.part)
        around = f"{self.names.numbers.get(written.row_id)}."
        is_around = self.names.numbers.get(reader, "").startswith(around)
        return family == "upkeep" and is_around

    def _written(
        self,
        key: str,
        called: str,
        index: int,
        tick: int,
        now: int,
        deepest: int = DEEPEST,
    ) -> Iterator[Bit]:
        """Who made a change of a key that was read at a tick, and how long
        before `now`. Nothing for a value from the start. A copy is followed to
        what it was made from.
        """
        changes = self.agent.keys[key]
        written, wrote_at = changes.values[index], changes.ticks[index]
        later = index < changes.index(tick)
        if written.part == FORMULA:
            # One of a behavior that is used names keys otherwise than the
            # agent's board does: it is not followed.
            if key not in self.formulas:
                return
            yield TextRun(f"; {called} is {self.formulas[key]}")
            is_new = not later and wrote_at == tick
            yield from self._unknown(key, written, wrote_at, tick)
            yield from self._derived(key, tick, now, deepest, is_new=is_new)
            return
        if not _was_written(written):
            return
        facts = {
            "key": key,
            "value": written.value,
            "part": written.part,
            "until": tick - 1 if later else tick,
        }
        yield Claim(ClaimKind.WROTE, written.row_id, wrote_at, facts)
        ago = ago_text(self.header.seconds(now - wrote_at))
        value = value_text(rounded(written.value))
        yield TextRun(f"; {called} became {value} {ago} by ")
        yield from self._author(written)
        if written.cause is not None and written.cause.kind == "copied":
            source = str(written.cause.facts["key"])
            yield TextRun(f", from {source}")
            copied = self.agent.keys.get(source)
            held = KeyRead(value=written.value, is_known=True)
            at = None
            if deepest > 0 and copied and copied.index(wrote_at) >= 0:
                at = self._index_read(copied, wrote_at, held)
            if at is not None:
                yield from self._written(
                    source, source, at, wrote_at, now, deepest - 1
                )
        elif written.cause is not None:
            yield from self._found(written.cause)
            yield from self._found_since(written, wrote_at, tick, now)

    def _unknown(
        self, key: str, written: KeyWrite, wrote_at: int, tick: int
    ) -> Iterator[Bit]:
        """Why a formula had no value."""
        if written.value is None and written.cause is not None:
            yield ": "
            yield from self.names.because(written.cause)
            facts = {
                "key": key,
                "value": None,
                "part": FORMULA,
                "until": tick if wrote_at == tick else tick - 1,
            }
            yield Claim(ClaimKind.WROTE, "", wrote_at, facts)

    def _derived(
        self, key: str, tick: int, now: int, deepest: int, *, is_new: bool
    ) -> Iterator[Bit]:
        """Of the keys in a formula that was read at a tick who wrote the one
        that changed last; `is_new` says that the formula came to its value
        only within the tick. Nothing where nobody can know which had changed
        by then.
        """
        tree = tree_of(self.formulas[key])
        found = []
        for name in sorted(keys_in(tree)) if tree is not None else ():
            changes = self.agent.keys.get(name)
            # What stood at the end of the tick before is what an older value
            # of the formula is made from, whatever has been written since.
            before = tick if is_new else tick - 1
            if changes is None or changes.index(before) < 0:
                continue
            index: int | None = changes.index(before)
            if is_new:
                index = self._index_read(changes, tick, KeyRead())
            if index is None:
                return
            if _was_written(changes.values[index]):
                found.append((changes.ticks[index], name, index))
        if found and deepest > 0:
            _, name, last = max(found)
            yield from self._written(name, name, last, tick, now, deepest - 1)

    def _author(self, written: KeyWrite) -> Iterator[Bit]:
        """The row, the upkeep or the cue that wrote a key."""
        family, _ = part_index(written.part)
        if not written.row_id:
            yield TextRun(f"{a_or_an(family)}")
        elif written.agent and written.agent != self.whose:
            number = self._number_of(written.agent, written.row_id)
            yield f"{written.agent}’s {number} {family}".rstrip()
        else:
            yield self.names.numbered(written.row_id)
            if family:
                yield TextRun(f" {family}")

    def _found(self, reason: Cause) -> Iterator[Bit]:
        """What the row or the upkeep found that wrote a key."""
        joint = ", which found "
        if reason.kind.startswith("picked"):
            joint = ": "
        yield TextRun(joint)
        yield from self.names.because(reason)

    def _found_since(
        self, written: KeyWrite, wrote_at: int, tick: int, now: int
    ) -> Iterator[Bit]:
        """What else kept the upkeep from its key, that had once taken the
        value away, when it was last at work; nothing where that is as it was.
        """
        if (
            written.value is not None
            or part_index(written.part)[0] != "upkeep"
            or written.agent not in ("", self.whose)
        ):
            return
        record = self.agent.row(written.row_id)
        last = record.last_refusal(tick, written.part)
        then = written.cause.facts.get("name") if written.cause else None
        if (
            last is None
            or written.cause is None
            or last.start <= wrote_at
            or (last.cause.kind, last.cause.facts.get("name"))
            == (written.cause.kind, then)
        ):
            return
        at = min(last.end, tick)
        yield f", and {ago_text(self.header.seconds(now - at))} "
        yield from self.names.because(last.cause)
        facts = {"cause": last.cause.kind}
        yield Claim(ClaimKind.REFUSED, written.row_id, at, facts)

    def _number_of(self, agent: str, row_id: str) -> str:
        """The number of a row of somebody else's behavior."""
        member = self.header.played.find_player(agent)
        if member is None or not member.behavior:
            return row_id
        behavior = self.header.expanded(member.behavior).behavior
        return behavior.outline.number.get(row_id, row_id)

    def _found_nothing(
        self, key: str, tick: int, now: int, read: KeyRead
    ) -> Iterator[Bit]:
        """What kept the upkeep from writing a key that was to write it, when
        that was last at work; else that nothing that writes it has run, if
        that was in the way.
        """
        last = max(
            (
                (min(refusal.end, tick), row_id, part, refusal.cause)
                for row_id, part in self.places.get(key, ())
                if part != ROW
                and (
                    refusal := self.agent.row(row_id).last_refusal(tick, part)
                )
                is not None
            ),
            key=lambda each: each[0],
            default=None,
        )
        if last is None:
            # Of what let something happen it would explain nothing.
            if read.is_in_the_way:
                yield from self._never_ran(key, tick, now)
            return
        at, row_id, part, cause = last
        yield f"; {ago_text(self.header.seconds(now - at))} "
        yield self.names.numbered(row_id)
        yield f" {part_index(part)[0]} found "
        yield from self.names.because(cause)
        yield Claim(ClaimKind.REFUSED, row_id, at, {"cause": cause.kind})

    def _never_ran(self, key: str, tick: int, now: int) -> Iterator[Bit]:
        """That none of the rows that write a key had run by a tick, where they
        are few.
        """
        places = self.places.get(key, ())
        if not 0 < len(places) <= FEW or any(
            self.agent.row(row_id).last_span(tick) is not None
            for row_id, _ in places
        ):
            return
        joint = "; "
        for row_id, part in places:
            yield joint
            yield self.names.numbered(row_id)
            yield f" {part_index(part)[0]}".rstrip()
            yield Claim(ClaimKind.NEVER_RAN, row_id, tick, {"key": key})
            joint = " and "
        if now > tick:
            had = "had"
        elif len(places) > 1:
            had = "have"
        else:
            had = "has"
        writes = "write" if len(places) > 1 else "writes"
        yield f", which {writes} {key}, {had} not run before"


def _was_written(change: KeyWrite) -> bool:
    """Whether anybody wrote a value: not the one from the start."""
    return bool(change.row_id or change.part)


def _same(one: Value | None, other: Value | None) -> bool:
    """Whether two values are the same but for rounding."""
    if isinstance(one, float) and isinstance(other, float):
        return isclose(one, other, rel_tol=1e-6, abs_tol=1e-6)
    return one == other


def rounded(value: Value | None) -> Value | None:
    """A value as a sentence shows it."""
    if isinstance(value, float):
        return round(value, 2)
    return value
