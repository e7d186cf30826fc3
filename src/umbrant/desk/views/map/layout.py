"""Where the boxes of a map stand: a tree tidy from left to right, a machine as
states in columns. Knows nothing of Qt.

All lengths are in pixels at 100 %. In a tree each box stands at the middle of
those nested in it, and no two share a line. A machine's states stand in
columns by how many transitions away from the first one they are; states that
only transitions of the machine itself lead to stand below.
"""

from collections.abc import (
    Callable,
    Collection,
    Iterable,
    Iterator,
    Mapping,
    Sequence,
)
from dataclasses import dataclass, field

from umbrant.model.behaviors import Behavior, Row, targets_of
from umbrant.model.kind_ids import (
    CONSIDER,
    HISTORY,
    MACHINE,
    STATES,
    TRANSITIONS,
)

BOX_H, GAP_X, GAP_Y, PAD, TITLE_H = 30.0, 46.0, 12.0, 14.0, 20.0
STATE_H, STATE_GAP_X, STATE_GAP_Y, BAND_GAP = 38.0, 84.0, 34.0, 48.0
LOOP_ROOM = 32.0
"""How much is left free around a machine in which a transition leads back to
its own state.
"""
LEAST_W, MOST_W, LINE_W = 62.0, 190.0, 116.0
"""How narrow and how wide a box is, and from which width on a title is written
in two lines.
"""
TEXT_EDGES = 34.0
"""How much room a box has beside its title, for its edges and for the dot of
what can lead.
"""
MARK_W = 16.0
"""How wide a mark in a box is: of a guard, of decorators, of what is folded
away.
"""
MOST_COLUMNS = 6
"""How many columns of states stand side by side; those after them go on below.
"""


Measure = Callable[[str], float]
"""How wide a text is."""


@dataclass
class MapBox:
    """A row, drawn as a box. `inside` are the states within it."""

    row_id: str
    title: str
    kind: str
    x: float = 0.0
    y: float = 0.0
    w: float = 0.0
    h: float = 0.0
    inside: list["MapBox"] = field(default_factory=list)
    from_any: bool = False
    """Whether only transitions of the machine itself lead to it."""
    lines: tuple[str, ...] = ()
    """Its title as it is written; empty for one that is cut to the room it
    has.
    """
    guarded: bool = False
    decorators: int = 0
    folded: int = 0
    """How many rows nested in it are not shown."""

    def moved(self, x: float, y: float) -> None:
        """Move the box, and all boxes nested in it, by a distance."""
        self.x += x
        self.y += y
        for box in self.inside:
            box.moved(x, y)

    def all(self) -> Iterator["MapBox"]:
        """Yield this box and all boxes nested in it."""
        yield self
        for box in self.inside:
            yield from box.all()

    @property
    def middle(self) -> tuple[float, float]:
        """The centre of the box, in the map's own units."""
        return self.x + self.w / 2, self.y + self.h / 2


@dataclass(frozen=True)
class MapArrow:
    """A line from one box to another: of a tree, what is nested; of a machine,
    a transition, with its row and label.
    """

    start: str
    end: str
    row_id: str = ""
    label: str = ""
    bend: int = 0
    """How far it bows out, so that arrows between the same boxes stay apart: 0 straight, then 1,
    -1, 2, ...
    """


@dataclass
class MapLayout:
    """A map: boxes and arrows, from (0, 0) to (width, height)."""

    boxes: list[MapBox]
    arrows: list[MapArrow]
    width: float
    height: float
    is_machine: bool

    def leaves(self) -> Iterator[MapBox]:
        """The boxes with nothing inside."""
        return (
            each for top in self.boxes for each in top.all() if not each.inside
        )

    def box(self, row_id: str) -> MapBox | None:
        """The box of a row."""
        return next(
            (
                each
                for top in self.boxes
                for each in top.all()
                if each.row_id == row_id
            ),
            None,
        )


def draw(
    behavior: Behavior,
    row_id: str,
    measure: Measure,
    opened: frozenset[str] | None = None,
) -> MapLayout:
    """The map for a row: of the machine that it belongs to; outside of
    machines of the whole tree, or with what is nested in the `opened` rows
    only.
    """
    machine = behavior.innermost(row_id, MACHINE)
    if machine:
        return draw_machine(behavior, machine, measure)
    return draw_tree(behavior, measure, opened)


def lines_in(high: float) -> int:
    """How many boxes of a tree stand below one another in so much height."""
    return max(1, int((high - 2 * PAD + GAP_Y) // (BOX_H + GAP_Y)))


def open_rows(
    behavior: Behavior,
    wanted: Iterable[str],
    lines: int,
    folded: Collection[str] = frozenset(),
) -> frozenset[str]:
    """The rows of a tree that are shown with what is nested in them, where
    only so many boxes have room below one another: those that lead to the
    wanted rows, and then the outermost that still fit. None of the rows that
    the author has folded is among them.
    """
    if not behavior.outline.tops:
        return frozenset()
    top = behavior.outline.tops[0]
    if top in folded:
        return frozenset()
    opened, used = {top}, max(1, len(_nested(behavior, top)))
    around = {each for row_id in wanted for each in _around(behavior, row_id)}
    waiting = [top]
    # In breadth, so that what is further out is opened first; what leads to
    # the wanted rows is opened in any case.
    for at_any_cost in (True, False):
        waiting = [top]
        while waiting:
            row_id = waiting.pop(0)
            for child in _nested(behavior, row_id) if row_id in opened else ():
                inner = len(_nested(behavior, child.id))
                if at_any_cost:
                    fits = child.id in around
                else:
                    fits = used + inner - 1 <= lines
                if (
                    inner
                    and fits
                    and child.id not in opened
                    and child.id not in folded
                ):
                    opened.add(child.id)
                    used += inner - 1
                waiting.append(child.id)
    return frozenset(opened)


def _around(behavior: Behavior, row_id: str) -> Iterator[str]:
    """A row and those that it is nested in."""
    at: str | None = row_id if row_id in behavior.by_id else None
    while at is not None:
        yield at
        at = behavior.outline.parent[at]


def _nested(behavior: Behavior, row_id: str) -> list[Row]:
    """What is drawn to the right of a row."""
    if behavior.row(row_id).kind == MACHINE:
        return []
    return list(_rows(behavior, row_id, but=(*TRANSITIONS, CONSIDER)))


def draw_tree(
    behavior: Behavior, measure: Measure, opened: frozenset[str] | None = None
) -> MapLayout:
    """The tree from left to right. A machine stands as one box; its inside has
    a map of its own. Of rows that are not `opened` it is said how many are
    nested in them.
    """
    boxes: list[MapBox] = []
    arrows: list[MapArrow] = []
    widths: dict[int, float] = {}
    line = 0.0

    def place(row: Row, depth: int) -> MapBox:
        nonlocal line
        title = row.name or row.kind
        nested = _nested(behavior, row.id)
        is_open = opened is None or row.id in opened
        box = MapBox(
            row.id, title, row.kind, h=BOX_H, guarded=row.guard is not None
        )
        box.decorators = len(row.decorators)
        box.folded = 0 if is_open else len(nested)
        marks = (
            box.guarded + bool(box.decorators) + bool(box.folded)
        ) * MARK_W
        box.lines = in_lines(title, measure)
        box.w = max(LEAST_W, max(map(measure, box.lines)) + TEXT_EDGES + marks)
        widths[depth] = max(widths.get(depth, 0.0), box.w)
        boxes.append(box)
        depths[row.id] = depth
        if is_open:
            inner = [place(child, depth + 1) for child in nested]
        else:
            inner = []
        if inner:
            box.y = (inner[0].y + inner[-1].y) / 2
            arrows.extend(MapArrow(row.id, child.row_id) for child in inner)
        else:
            box.y = line
            line += BOX_H + GAP_Y
        return box

    depths: dict[str, int] = {}
    for top in behavior.outline.tops[:1]:
        place(behavior.row(top), 0)
    lefts = {
        depth: sum(widths[each] + GAP_X for each in range(depth))
        for depth in widths
    }
    for box in boxes:
        box.x = PAD + lefts[depths[box.row_id]]
        box.y += PAD
    width = max((box.x + box.w for box in boxes), default=0.0) + PAD
    return MapLayout(boxes, arrows, width, line + 2 * PAD, is_machine=False)


def draw_machine(
    behavior: Behavior, machine: str, measure: Measure
) -> MapLayout:
    """The states of a machine and the arrows between them."""
    arrows = list(_bowed(_transitions(behavior, machine)))
    tops = _states(behavior, machine, arrows, measure)
    width, height = _arrange(tops, arrows, machine, behavior, measure)
    if any(arrow.start == arrow.end for arrow in arrows):
        around = LOOP_ROOM
    else:
        around = PAD
    for box in tops:
        box.moved(around, around)
    drawing = MapLayout(
        tops, arrows, width + 2 * around, height + 2 * around, is_machine=True
    )
    for arrow in arrows:
        end = drawing.box(arrow.end)
        if end is not None and drawing.box(arrow.start) is None:
            drawing.width = max(
                drawing.width, end.x + measure(from_any(arrow)) + PAD
            )
        elif end is not None and arrow.start == arrow.end:
            drawing.width = max(
                drawing.width,
                end.x + end.w + LOOP_ROOM + measure(arrow.label) + PAD,
            )
    return drawing


def from_any(arrow: MapArrow) -> str:
    """What is written beside the state that a transition of the machine itself
    leads to.
    """
    return f"from any state · {arrow.label}"


def _states(
    behavior: Behavior,
    above: str,
    arrows: Sequence[MapArrow],
    measure: Measure,
) -> list[MapBox]:
    """The boxes of the states in a machine or a state, each as large as what
    is inside needs.
    """
    found = []
    for row in _rows(behavior, above, only=STATES):
        title = row.name or row.kind
        box = MapBox(
            row.id, title, row.kind, h=STATE_H, w=_width(title, measure)
        )
        box.inside = _states(behavior, row.id, arrows, measure)
        if row.kind == HISTORY:
            box.w = box.h = 24.0
        if box.inside:
            width, height = _arrange(
                box.inside, arrows, row.id, behavior, measure
            )
            for inner in box.inside:
                inner.moved(PAD, PAD + TITLE_H)
            box.w, box.h = (
                max(box.w, width + 2 * PAD),
                height + 2 * PAD + TITLE_H,
            )
        found.append(box)
    return found


def _arrange(
    boxes: list[MapBox],
    arrows: Sequence[MapArrow],
    above: str,
    behavior: Behavior,
    measure: Measure,
) -> tuple[float, float]:
    """Put boxes into columns by their distance from the first; returns how
    wide and high they are together.
    """
    links = _links(boxes, arrows)
    first = next(
        (
            box
            for box in boxes
            if box.row_id == behavior.row(above).args.get("initial")
        ),
        None,
    )
    first = first or next((box for box in boxes if box.kind != HISTORY), None)
    ranks = _ranks(boxes, links, first)
    low = [box for box in boxes if box.row_id not in ranks]
    for box in low:
        box.from_any = any(
            arrow.start == above for arrow in arrows if arrow.end == box.row_id
        )
    columns: dict[int, list[MapBox]] = {}
    for box in boxes:
        if box.row_id in ranks:
            columns.setdefault(ranks[box.row_id], []).append(box)
    x, top, width, height = 0.0, 0.0, 0.0, 0.0
    for place, rank in enumerate(sorted(columns)):
        if place and place % MOST_COLUMNS == 0:
            x, top = 0.0, height + BAND_GAP
        y = top
        for box in columns[rank]:
            box.moved(x - box.x, y - box.y)
            y += box.h + STATE_GAP_Y
        height = max(height, y - STATE_GAP_Y)
        x += max(box.w for box in columns[rank])
        width = max(width, x)
        x += _gap(columns[rank], arrows, measure)
    left = 0.0
    for box in low:
        box.moved(left - box.x, height + STATE_GAP_Y - box.y)
        left += box.w + STATE_GAP_X
    if low:
        height += STATE_GAP_Y + max(box.h for box in low)
        width = max(width, left - STATE_GAP_X)
    return width, height


def _gap(
    column: Sequence[MapBox], arrows: Sequence[MapArrow], measure: Measure
) -> float:
    """How far the next column stands off, so that what is written on the
    arrows in between has room.
    """
    here = {inner.row_id for box in column for inner in box.all()}
    labels = [
        arrow.label
        for arrow in arrows
        if (arrow.start in here) != (arrow.end in here)
    ]
    return max(
        STATE_GAP_X,
        min(
            190.0, max((measure(label) for label in labels), default=0.0) + 20
        ),
    )


def _links(
    boxes: Sequence[MapBox], arrows: Sequence[MapArrow]
) -> dict[str, list[str]]:
    """Which boxes arrows lead to from each box, whatever inside of them they
    start and end at.
    """
    home = {inner.row_id: box.row_id for box in boxes for inner in box.all()}
    found: dict[str, list[str]] = {box.row_id: [] for box in boxes}
    for arrow in arrows:
        start, end = home.get(arrow.start), home.get(arrow.end)
        if start is not None and end is not None and start != end:
            found[start].append(end)
    return found


def _ranks(
    boxes: Sequence[MapBox],
    links: Mapping[str, Sequence[str]],
    first: MapBox | None,
) -> dict[str, int]:
    if first is None:
        return {}
    ranks = {first.row_id: 0}
    waiting = [first.row_id]
    while waiting:
        at = waiting.pop(0)
        for other in links[at]:
            if other not in ranks:
                ranks[other] = ranks[at] + 1
                waiting.append(other)
    return ranks


def _transitions(
    behavior: Behavior, machine: str
) -> Iterator[tuple[str, str, Row]]:
    """The transitions of a machine that lead somewhere: from, to, row."""
    path = machine.rpartition("/")[0]
    for row_id in behavior.outline.within(machine):
        row, above = behavior.row(row_id), behavior.outline.parent[row_id]
        if row.kind not in TRANSITIONS or above is None or row.muted:
            continue
        for target in targets_of(row):
            end = f"{path}/{target}" if path else target
            if end in behavior.by_id:
                yield above, end, row


def _bowed(found: Iterator[tuple[str, str, Row]]) -> Iterator[MapArrow]:
    used: dict[tuple[str, str], int] = {}
    for start, end, row in found:
        pair = (min(start, end), max(start, end))
        used[pair] = used.get(pair, 0) + 1
        yield MapArrow(start, end, row.id, label_of(row), used[pair] - 1)


def label_of(row: Row) -> str:
    """The text beside a transition's arrow: the event, the time or the
    condition it waits for, in short.
    """
    if row.name:
        return row.name
    labels = {
        "on_event": str(row.args.get("event", "event")),
        "after": f"after {row.args.get('time', 2)} s",
        "on_done": "once done",
        "when": str(row.args.get("when", "when")),
    }
    text = labels.get(row.kind, row.kind)
    if len(text) <= 26:
        return text
    return f"{text[:25]}…"


def _rows(
    behavior: Behavior,
    above: str,
    only: Sequence[str] | None = None,
    but: Sequence[str] = (),
) -> Iterator[Row]:
    for child in behavior.outline.children[above]:
        row = behavior.row(child)
        if (
            not row.muted
            and row.kind not in but
            and (only is None or row.kind in only)
        ):
            yield row


def in_lines(title: str, measure: Measure) -> tuple[str, ...]:
    """A title in one line, or broken between words into two of about the same
    width.
    """
    words = title.split()
    if measure(title) <= LINE_W or len(words) < 2:
        return (title,)
    breaks = [
        (" ".join(words[:place]), " ".join(words[place:]))
        for place in range(1, len(words))
    ]
    return min(breaks, key=lambda each: max(map(measure, each)))


def _width(title: str, measure: Measure) -> float:
    return max(LEAST_W, min(MOST_W, measure(title) + 40))
