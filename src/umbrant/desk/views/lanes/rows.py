"""Which lanes there are: one for each of the cast, and one for many of a kind
that opens. Knows nothing of Qt.
"""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import groupby

import numpy as np

from umbrant.desk.session.loader import Loaded
from umbrant.model.staging import Member
from umbrant.reasons.decision_changes import LeadingSpan, lead_at

MANY = 4
"""From how many of a kind in a row on they share a lane."""
SAMPLES = 200
"""At how many ticks of a take those of a kind are held against each other."""


class LaneOrder(StrEnum):
    """In which order lanes stand."""

    CAST = "as the cast is written"
    BEHAVIOR = "by behavior"
    LEAD = "by what leads now"
    APART = "by the first difference to the other take"
    ODD = "the odd ones of a kind first"


@dataclass(frozen=True)
class LaneRow:
    """A lane: whose it is. Several share one."""

    title: str
    behavior: str | None
    players: tuple[Member, ...]
    kind: str = ""
    """What it opens; empty for a lane that does not."""
    is_inside: bool = False
    """Whether it belongs to the open lane above it."""


def lane_rows(
    cast: Sequence[Member],
    opened: Collection[str],
    order: LaneOrder = LaneOrder.CAST,
    loaded: Loaded | None = None,
    tick: int = 0,
) -> list[LaneRow]:
    """The lanes of a cast. Many with the same behavior and group share one,
    until it is opened.
    """
    members = list(cast)
    if order is LaneOrder.BEHAVIOR:
        members.sort(key=lambda each: (each.behavior or "", each.group or ""))
    # Only what stands side by side in the cast shares a lane, so that its
    # order stays the one that the author wrote.
    groups = [list(run) for _, run in groupby(members, key=_kind)]
    rows = [
        row
        for group in groups
        for row in _of_group(group, opened, order, loaded, tick)
    ]
    if (
        order in (LaneOrder.CAST, LaneOrder.BEHAVIOR, LaneOrder.ODD)
        or loaded is None
    ):
        return rows
    return _sorted(rows, order, loaded, tick)


def _kind(member: Member) -> str:
    """What many must have in common to share a lane."""
    name = "" if member.copies == 1 else member.name
    return f"{member.behavior or ''}/{member.group or ''}/{name}"


def _of_group(
    group: Sequence[Member],
    opened: Collection[str],
    order: LaneOrder,
    loaded: Loaded | None,
    tick: int,
) -> Iterator[LaneRow]:
    players = tuple(player for member in group for player in member.each())
    kind, first = _kind(group[0]), group[0]
    if len(players) == 1 or (len(group) < MANY and first.copies == 1):
        yield from (_alone(member) for member in group)
        return
    title = first.title or first.name
    if len(group) > 1:
        title = first.group or first.behavior or title
    yield LaneRow(f"{title} × {len(players)}", first.behavior, players, kind)
    if kind not in opened:
        return
    rows = [_alone(player, is_inside=True) for player in players]
    if loaded is not None and order is LaneOrder.ODD:
        oddness = odd_ones(
            [player.name for player in players], loaded.leading_spans
        )
        # The oddest first: of many that do the same the one that does not is
        # wanted.
        rows.sort(key=lambda each: -oddness[each.players[0].name])
    elif loaded is not None and order in (LaneOrder.LEAD, LaneOrder.APART):
        rows = _sorted(rows, order, loaded, tick)
    yield from rows


def _alone(player: Member, *, is_inside: bool = False) -> LaneRow:
    return LaneRow(
        player.title or player.name,
        player.behavior,
        (player,),
        is_inside=is_inside,
    )


def _sorted(
    rows: Sequence[LaneRow], order: LaneOrder, loaded: Loaded, tick: int
) -> list[LaneRow]:
    """Lanes in an order; what is inside an open one stays below it."""
    blocks: list[list[LaneRow]] = []
    for row in rows:
        if row.is_inside and blocks and not blocks[-1][0].is_inside:
            blocks[-1].append(row)
        else:
            blocks.append([row])

    def place(block: Sequence[LaneRow]) -> tuple[int, str]:
        name = block[0].players[0].name
        if order is LaneOrder.APART:
            found = None
            if loaded.comparison:
                found = loaded.comparison.by_agent.get(name)
            # Those that never part come last.
            return (found.first.tick if found is not None else 1 << 31, "")
        spans = loaded.leading_spans.get(name, ())
        lead = None
        if spans:
            lead = lead_at(spans[0], tick)
        row_id = ""
        if lead is not None:
            row_id = lead.row_id
        return (
            0,
            f"{block[0].behavior or ''}/{row_id}",
        )

    return [row for block in sorted(blocks, key=place) for row in block]


def odd_ones(
    names: Iterable[str],
    spans: Mapping[str, tuple[tuple[LeadingSpan, ...], ...]],
) -> dict[str, float]:
    """How much of the take each of a kind is led by something else than most
    of them, from 0 to 1.
    """
    known = list(names)
    ids: dict[str, int] = {"": 0}
    ends = [
        found[0][-1].end
        for name in known
        if (found := spans.get(name)) and found[0]
    ]
    ticks = np.linspace(0, max(ends, default=0), SAMPLES).astype(int)
    led = np.zeros((len(known), SAMPLES), np.int32)
    for index, name in enumerate(known):
        for branch in spans.get(name, ())[:1]:
            for span in branch:
                number = ids.setdefault(span.row_id, len(ids))
                led[index, (ticks >= span.start) & (ticks <= span.end)] = (
                    number
                )
    counts = np.stack(
        [(led == number).sum(axis=0) for number in range(len(ids))]
    )
    differs = led != counts.argmax(axis=0)
    return dict(zip(known, differs.mean(axis=1).tolist(), strict=True))
