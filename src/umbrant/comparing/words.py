"""Where two takes part, in words: what each found and did at the first step
that differs, and what followed.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from pydantic import TypeAdapter

from umbrant.catalog.kind import Catalog
from umbrant.comparing.comparison import AgentComparison, TakeComparison
from umbrant.comparing.parting import LAST_STEP, Difference, DifferenceKind
from umbrant.model.staging import CueAction
from umbrant.model.values import number_text, value_text
from umbrant.reasons.cue_words import cue_text
from umbrant.reasons.sentences import Answer, AnswerLine, TextRun
from umbrant.reasons.tick_step import at_tick
from umbrant.reasons.why import Explainer
from umbrant.take.header import Header
from umbrant.take.reader import Take
from umbrant.take.record import Outcome, RowRecord

SEEN_M = 0.005
"""How far apart two bodies are at least where an answer says how far."""
ABOUT_ROWS = (
    DifferenceKind.ENTERED,
    DifferenceKind.LEFT,
    DifferenceKind.REFUSED,
)


@dataclass(frozen=True)
class PartedTake:
    """One of the takes: what it is called in a sentence (`Take 9`, or the name
    of its file), what answers for the agent at which they part, and what
    differs there.
    """

    take: Take
    name: str
    explainer: Explainer | None
    value: object

    def has(self, row_id: str) -> bool:
        """Whether its agent has a row."""
        return (
            self.explainer is not None
            and row_id in self.explainer.outline.number
        )


def parting_answer(
    comparison: TakeComparison,
    one: str,
    other: str,
    catalog: Catalog | None = None,
) -> Answer:
    """Where two takes part, given what each is called."""
    question = f"where {one} and {other} part"
    if comparison.first is None:
        line = _plain_line("They are equal: the same happened in both.")
        return Answer(question, 0, (), headline=line)
    first = comparison.worth_telling or comparison.first
    sides = tuple(
        PartedTake(take, name, _explainer(take, first.agent, catalog), value)
        for take, name, value in (
            (comparison.one, one, first.one),
            (comparison.other, other, first.other),
        )
    )
    row_id = parting_row(comparison)
    lines: list[AnswerLine] = []
    if first is not comparison.first:
        lines.extend(_cue_line(comparison.first, sides))
    lines += [
        *(line for side in sides for line in _side(first, side, row_id)),
        *_followed(comparison),
    ]
    return Answer(
        question,
        first.tick,
        tuple(lines),
        headline=_headline(first, sides, row_id),
    )


def _explainer(
    take: Take, agent: str, catalog: Catalog | None
) -> Explainer | None:
    """The explainer of an agent; None where a take has no such agent."""
    if agent not in take.agents:
        return None
    return Explainer(take, agent, catalog)


def _cue_line(
    first: Difference, sides: Sequence[PartedTake]
) -> Iterator[AnswerLine]:
    """That a cue came first, in one take only or unlike in both."""
    seconds = sides[0].take.header.seconds(first.tick)
    if first.one == first.other:
        does = _value(first.one, sides[0].take.header)
        yield _plain_line(
            f"At {seconds:.2f} s: {does}, more often, or in another order, in one of them."
        )
        return
    for side, value in zip(sides, (first.one, first.other), strict=True):
        if value is not None:
            does = _value(value, side.take.header)
            yield _plain_line(
                f"At {seconds:.2f} s, in {side.name} only: {does}."
            )


def parting_row(comparison: TakeComparison) -> str:
    """The row at which an agent's ticks part: the first that had another
    answer to one of its conditions at the tick of the first difference, or
    else the one that did something else. Empty where no row is concerned.
    """
    first = comparison.worth_telling
    if first is None or first.kind not in ABOUT_ROWS:
        return ""
    here, there = (
        take.agents[first.agent].rows
        for take in (comparison.one, comparison.other)
    )
    found = [
        *_answers_unlike(here, there, first.tick),
        *_answers_unlike(there, here, first.tick),
    ]
    if found:
        return min(found)[1]
    mine, yours = (_own_doing(rows, first.tick) for rows in (here, there))
    # A row that one take does not have at all is why the other row runs in it.
    ways = mine.keys() ^ yours.keys()
    steps = [
        ((mine | yours)[way], way[0] in here and way[0] in there, way[0])
        for way in ways
    ]
    if steps:
        return min(steps)[2]
    return first.subject


def _own_doing(
    rows: Mapping[str, RowRecord], tick: int
) -> dict[tuple[str, str], int]:
    """What rows did at a tick of their own accord, rather than because another one took their
    place: the row and what it did, with the step.
    """
    found: dict[tuple[str, str], int] = {}
    for row_id, row in rows.items():
        for span in row.spans_at(tick):
            found[row_id, "entered"] = span.start_step
        ended = row.last_ended((tick, LAST_STEP))
        if (
            ended is not None
            and ended.end == tick
            and ended.outcome is not Outcome.STOPPED
        ):
            found[row_id, str(ended.outcome)] = ended.end_step
        for refusals in row.refusals.values():
            for refusal in at_tick(refusals, tick, lambda each: each.start):
                found[row_id, refusal.cause.kind] = refusal.step
    return found


def _answers_unlike(
    rows: Mapping[str, RowRecord], opposite: Mapping[str, RowRecord], tick: int
) -> Iterator[tuple[int, str]]:
    """The steps of a tick at which a row found an answer that is not the
    opposite's, and the rows.
    """
    for row_id, row in rows.items():
        there = opposite.get(row_id) or RowRecord()
        for part, steps in row.atom_steps.items():
            for each in at_tick(steps, tick, lambda step: step.tick):
                before = there.found_at(part, each.atom, tick)
                truth = None
                if before is not None:
                    truth = before.truth
                if each.found is not None and each.found.truth is not truth:
                    yield each.step, row_id


def _headline(
    first: Difference, sides: Sequence[PartedTake], row_id: str
) -> AnswerLine:
    seconds = sides[0].take.header.seconds(first.tick)
    when = f"They part at {seconds:.2f} s (tick {first.tick})"
    title = next(
        (side.explainer.title for side in sides if side.explainer), ""
    )
    having = [side for side in sides if side.has(row_id)]
    if not having:
        about = ""
        if title:
            about = f" {title}:"
        then = ""
        # It may come in the other one as well, at another time.
        if first.kind is DifferenceKind.EVENT:
            then = " then"
        return _plain_line(f"{when}:{about} {_what(first)}{then}.")
    explainer = having[0].explainer
    assert explainer is not None  # noqa: S101  (it has the row)
    only = ""
    if len(having) == 1:
        only = f", a row that only {having[0].name} has"
    bits = (
        TextRun(f"{when}, at {title}’s "),
        explainer.names.bit(row_id),
        TextRun(f"{only}."),
    )
    return AnswerLine("", "", bits)


def _side(
    first: Difference, side: PartedTake, row_id: str
) -> Iterator[AnswerLine]:
    """What one take has at the tick at which they part."""
    explainer, tick = side.explainer, first.tick
    if explainer is None or not row_id:
        yield _plain_line(f"{side.name}: {_how_it_is(first, side)}.")
        return
    if not side.has(row_id):
        yield _plain_line(f"{side.name}: it has no such row.")
    else:
        steps = [
            step.line
            for step in explainer.ticks.steps(tick)
            if step.row_id == row_id
        ]
        if not steps:
            reason = explainer.why_not(tick, row_id)
            steps = [reason.headline or reason.lines[0]]
        for line in steps:
            yield _named_line(side.name, line)
    answer = explainer.why(tick)
    yield _named_line(side.name, answer.headline or answer.lines[0])


def _followed(comparison: TakeComparison) -> Iterator[AnswerLine]:
    """What followed, for each of the cast."""
    for name, found in comparison.by_agent.items():
        title = _title(name, comparison.one, comparison.other)
        yield _plain_line(f"{title}: {_apart(found, comparison.one)}.")


def _apart(found: AgentComparison, take: Take) -> str:
    since = take.header.seconds(found.first.tick)
    if found.first.kind is DifferenceKind.CAST:
        return "plays in one of them only"
    if found.ticks_apart:
        does = f"does otherwise at {found.ticks_apart} of {take.ticks} ticks, from {since:.2f} s on"
    else:
        when = f"at {since:.2f} s"
        if found.first.kind in LASTING:
            when = f"from {since:.2f} s on"
        does = f"decides the same; {when} {_what(found.first)}"
    is_elsewhere = found.farthest_m >= SEEN_M
    if is_elsewhere:
        return f"{does}; at most {found.farthest_m:.2f} m apart"
    return does


def _what(first: Difference) -> str:
    """What differs that is about no row."""
    match first.kind:
        case DifferenceKind.CAST:
            return "plays in one of them only"
        case DifferenceKind.LENGTH:
            return "one of them ends"
        case DifferenceKind.CUE:
            return "the scenario’s cues do not do the same"
        case DifferenceKind.BODY:
            return "it stands elsewhere, or looks another way"
        case DifferenceKind.NUMBER:
            return f"its number {first.subject} is another one"
        case DifferenceKind.PROP:
            return f"{first.subject} is not the same"
        case DifferenceKind.WROTE:
            return f"{first.subject} is not set to the same"
        case DifferenceKind.EVENT:
            return f"{first.subject} comes {_how_often(first)}"
        case DifferenceKind.SAID:
            return "it does not say the same"
    return f"{first.subject} could not be done in one of them"


def _how_often(first: Difference) -> str:
    """In which of two takes an event comes, or comes otherwise."""
    if first.one is not None and first.one == first.other:
        return "more often, or in another order, in one of them"
    return "in one of them only"


LASTING = (
    DifferenceKind.BODY,
    DifferenceKind.NUMBER,
    DifferenceKind.PROP,
    DifferenceKind.WROTE,
)
"""What differs from a tick on; all else does so at a tick."""


def _how_it_is(first: Difference, side: PartedTake) -> str:
    """What one take has of a difference that is about no row."""
    words = _HOW.get(first.kind)
    if words is not None:
        return words(first, side)
    return _value(side.value, side.take.header)


def _how_cast(first: Difference, side: PartedTake) -> str:
    if side.value:
        return "it plays"
    return "it does not play"


def _how_body(first: Difference, side: PartedTake) -> str:
    title = _title(first.agent, side.take)
    match side.value:
        # NaN is unlike itself: it is not on the stage.
        case [float(x), float(y), float(facing)] if x == x:
            return (
                f"{title} is at ({x:.2f}, {y:.2f}), and looks to {facing:.0f}°"
            )
    return f"{title} is not on the stage"


def _how_number(first: Difference, side: PartedTake) -> str:
    match side.value:
        case float(number) | [float(number)] if number == number:
            return f"{first.subject} is {number_text(number)}"
    return f"there is no {first.subject}"


def _how_prop(first: Difference, side: PartedTake) -> str:
    match side.value:
        case float(level) | [float(level)] if level == level:
            return f"{first.subject} holds {number_text(level)}"
        case {"detail": detail}:
            return f"{first.subject} is {_place_of_prop(detail)}"
    return f"nothing becomes of {first.subject} at this tick"


def _how_wrote(first: Difference, side: PartedTake) -> str:
    match side.value:
        case {"detail": detail}:
            value = _value(detail, side.take.header)
            return f"{first.subject} becomes {value}"
    return f"{first.subject} is not written"


def _how_event(first: Difference, side: PartedTake) -> str:
    match side.value:
        case {"detail": [way, *_]}:
            return f"{first.subject} is {way}"
    return f"{first.subject} does not come at this tick"


def _how_said(first: Difference, side: PartedTake) -> str:
    title = _title(first.agent, side.take)
    match side.value:
        case {"detail": text}:
            return f"{title} says “{text}”"
    return f"{title} says nothing"


def _how_long(first: Difference, side: PartedTake) -> str:
    return f"it ends after {side.take.header.seconds(side.take.ticks):.2f} s"


_HOW: Mapping[DifferenceKind, Callable[[Difference, PartedTake], str]] = {
    DifferenceKind.CAST: _how_cast,
    DifferenceKind.BODY: _how_body,
    DifferenceKind.NUMBER: _how_number,
    DifferenceKind.PROP: _how_prop,
    DifferenceKind.WROTE: _how_wrote,
    DifferenceKind.EVENT: _how_event,
    DifferenceKind.SAID: _how_said,
    DifferenceKind.LENGTH: _how_long,
}


def _title(name: str, *takes: Take) -> str:
    """What one of the cast is called in the first of these in which it plays."""
    for take in takes:
        member = take.header.played.find_player(name)
        if member is not None:
            return member.title or name
    return name


def _place_of_prop(detail: object) -> str:
    """Where a prop is, and who carries it."""
    match detail:
        case [[x, y], carrier]:
            carried = f", carried by {carrier}" if carrier else ""
            return f"at ({x:.2f}, {y:.2f}){carried}"
    return "elsewhere"


def _value(value: object, header: Header) -> str:
    """What a cue did, or the value of a key, as a line shows it."""
    if value is None:
        return "nothing of it happens at this tick"
    if isinstance(value, dict):
        detail = value.get("detail")
        if value["what"] == DifferenceKind.CUE and isinstance(detail, dict):
            return f"a cue {cue_text(_ACTION.validate_python(detail), header)}"
        return str(value["what"])
    # A value that was written comes with who wrote it.
    if isinstance(value, tuple | list) and value:
        value = value[0]
    match value:
        case [float(x), float(y)]:
            return value_text((x, y))
        case bool() | int() | float() | str():
            return value_text(value)
    return str(value)


def _plain_line(text: str) -> AnswerLine:
    return AnswerLine("", "", (TextRun(text),))


_ACTION: TypeAdapter[CueAction] = TypeAdapter(CueAction)


def _named_line(name: str, line: AnswerLine) -> AnswerLine:
    """A line of one of the takes, which begins with what the take is called."""
    bits = (TextRun(f"{name}: "), *line.bits)
    return AnswerLine(line.row_id, line.number, bits, line.tone, line.claims)
