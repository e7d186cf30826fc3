"""A machine as a table: its states down, what its transitions wait for across.
Knows nothing of Qt.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from umbrant.desk.chips.sentence import PieceRole, SentencePiece
from umbrant.model.behaviors import Behavior, Row
from umbrant.model.kind_ids import (
    AFTER,
    FINAL,
    MACHINE,
    ON_DONE,
    ON_EVENT,
    REGIONS,
    STATE,
    STATES,
    TRANSITIONS,
    WHEN,
)

SOURCES = (STATE, REGIONS, FINAL)
"""The kinds of states that have a line of their own; a history is only ever
led to.
"""


@dataclass(frozen=True)
class TriggerColumn:
    """What a column of transitions waits for: of those on an event, each event
    has a column of its own.
    """

    kind: str
    event: str = ""

    @property
    def title(self) -> str:
        """The head of the column."""
        return {
            WHEN: "when",
            ON_EVENT: f"on {self.event or 'an event'}",
            AFTER: "after",
            ON_DONE: "once done",
        }[self.kind]

    def args(self) -> dict[str, str]:
        """What a new transition of this column begins with."""
        if self.event:
            return {"event": self.event}
        return {}


@dataclass(frozen=True)
class SourceLine:
    """What transitions start from: a state, or the machine itself, which
    stands for any state.
    """

    row_id: str
    depth: int
    is_machine: bool = False


class MachineCells:
    """The states, triggers and transitions of one machine, in written order;
    machines inside it are their own.
    """

    def __init__(self, behavior: Behavior, machine: str) -> None:
        self.behavior = behavior
        self.machine = machine
        self.sources = [
            SourceLine(machine, 0, is_machine=True),
            *_states(behavior, machine, 0),
        ]
        self._transitions = {
            each.row_id: _transitions(behavior, each.row_id)
            for each in self.sources
        }
        used = [
            trigger_of(row)
            for rows in self._transitions.values()
            for row in rows
        ]
        events = dict.fromkeys(each for each in used if each.kind == ON_EVENT)
        self.triggers = [
            TriggerColumn(WHEN),
            *sorted(events, key=lambda each: each.event),
            *(TriggerColumn(kind) for kind in (AFTER, ON_DONE)),
        ]

    def transitions(self, source: str, trigger: TriggerColumn) -> list[Row]:
        """The transitions in a cell, in written order."""
        return [
            row
            for row in self._transitions.get(source, ())
            if trigger_of(row) == trigger
        ]

    def cell_of(self, row_id: str) -> tuple[int, int] | None:
        """The line and the column of a state (column 0) or a transition; None
        if it is in no cell.
        """
        for line, source in enumerate(self.sources):
            if source.row_id == row_id:
                return line, 0
            for row in self._transitions[source.row_id]:
                if row.id == row_id:
                    return line, self.triggers.index(trigger_of(row)) + 1
        return None

    def targets(self) -> list[Row]:
        """The states that a transition can lead to."""
        inside = (
            self.behavior.row(each)
            for each in _within(self.behavior, self.machine)
        )
        return [row for row in inside if row.kind in STATES]


def machine_around(behavior: Behavior, row_id: str) -> str:
    """The innermost machine around a row, else the first of the behavior;
    empty if there is none.
    """
    around = behavior.innermost(row_id, MACHINE)
    if around is not None:
        return around
    machines = [row.id for row in behavior.rows if row.kind == MACHINE]
    if machines:
        return machines[0]
    return ""


def trigger_of(row: Row) -> TriggerColumn:
    """The column of a transition."""
    event = ""
    if row.kind == ON_EVENT:
        event = str(row.args.get("event", ""))
    return TriggerColumn(
        row.kind,
        event,
    )


def in_cell(pieces: list[SentencePiece]) -> list[SentencePiece]:
    """What is left of a transition's sentence: that it is one, and on which
    event, is told by its column.
    """
    shown: list[SentencePiece] = []
    for piece in pieces:
        if piece.role is PieceRole.KIND:
            continue
        if (
            piece.chip is not None
            and piece.chip.slot.param == "event"
            and not piece.chip.missing
        ):
            if shown and shown[-1].role is PieceRole.WORDS:
                shown.pop()
            continue
        shown.append(piece)
    return shown


def _states(
    behavior: Behavior, above: str, depth: int
) -> Iterator[SourceLine]:
    for child in behavior.outline.children[above]:
        if behavior.row(child).kind in SOURCES:
            yield SourceLine(child, depth)
            yield from _states(behavior, child, depth + 1)


def _transitions(behavior: Behavior, source: str) -> list[Row]:
    inside = (
        behavior.row(child) for child in behavior.outline.children[source]
    )
    return [row for row in inside if row.kind in TRANSITIONS]


def _within(behavior: Behavior, above: str) -> Iterator[str]:
    """The rows of a machine, but for those of machines inside it."""
    for child in behavior.outline.children[above]:
        yield child
        if behavior.row(child).kind != MACHINE:
            yield from _within(behavior, child)
