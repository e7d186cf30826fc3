"""A take as plain text, for spreadsheets and scripts. Equal takes give equal
bytes.
"""

import csv
import io
import json
from collections.abc import Callable, Iterator
from enum import StrEnum

from umbrant.take.reader import Take
from umbrant.take.record import AgentRecord, AtomStep, RowRecord
from umbrant.take.stored.values import Float32Array

ExportLine = dict[str, object]

COLUMNS = (
    "tick",
    "seconds",
    "step",
    "agent",
    "row",
    "what",
    "part",
    "end",
    "value",
    "cause",
)
"""The columns of a CSV export, and the fields of each line of a JSON Lines
export.
"""


class ExportFormat(StrEnum):
    """The formats a take can be exported to."""

    CSV = "csv"
    JSONL = "jsonl"


def export_text(take: Take, form: ExportFormat) -> str:
    """The take in a format: one line for each span, refusal, change and pose,
    ordered by tick.
    """
    writer: dict[ExportFormat, Callable[[Iterator[ExportLine]], str]] = {
        ExportFormat.CSV: _csv,
        ExportFormat.JSONL: _jsonl,
    }
    return writer[form](_lines(take))


def _sampled(take: Take) -> Iterator[ExportLine]:
    """What is so at every tick: poses, how full props are, and the numbers of
    bodies; nothing for what is not on the stage, which is NaN.
    """
    for name, poses in take.poses.items():
        for tick, (x, y, heading) in enumerate(poses.tolist()):
            if x == x:
                yield _line(tick, name, "pose", value=[x, y, heading])
    for name, levels in take.levels.items():
        yield from _curve(name, "level", levels)
    for name, numbers in take.body_numbers.items():
        for number, values in numbers.items():
            yield from _curve(name, "number", values, part=number)


def _curve(
    name: str, what: str, values: Float32Array, **part: str
) -> Iterator[ExportLine]:
    for tick, value in enumerate(values.tolist()):
        if value == value:
            yield _line(tick, name, what, **part, value=value)


def _lines(take: Take) -> Iterator[ExportLine]:
    found = [
        line
        for name, agent in take.agents.items()
        for line in _agent_lines(name, agent)
    ]
    found.extend(_sampled(take))
    for name, places in take.props.items():
        for tick, place in zip(places.ticks, places.values, strict=True):
            found.append(
                _line(
                    tick,
                    name,
                    "place",
                    part=place.carrier,
                    value=list(place.at),
                )
            )
    if not take.is_complete:
        found.append(_line(take.ticks, "", "ended", value=take.ended))
    found.sort(key=lambda line: line["tick"])  # type: ignore[arg-type, return-value]
    for line in found:
        yield {
            "seconds": round(take.header.seconds(int(str(line["tick"]))), 6),
            **line,
        }


def _agent_lines(name: str, agent: AgentRecord) -> Iterator[ExportLine]:
    for write in agent.writes:
        yield _line(
            write.tick,
            name,
            "key",
            row=write.row_id,
            part=write.key,
            value=write.value,
            step=write.step,
        )
    # What the agent did itself is above; keys that it shares may have been
    # written by others.
    for key, changes in agent.keys.items():
        for tick, written in zip(changes.ticks, changes.values, strict=True):
            if written.agent != name and written.agent:
                yield _line(
                    tick,
                    name,
                    "shared",
                    row=written.row_id,
                    part=key,
                    value=written.value,
                )
    for row_id, record in agent.rows.items():
        yield from _row_lines(name, row_id, record)
    for each in agent.received:
        yield _line(
            each.tick,
            name,
            "received",
            part=each.other,
            value=each.event,
            step=each.step,
        )
    for each in agent.raised:
        yield _line(
            each.tick,
            name,
            "raised",
            row=each.row_id,
            part=each.other,
            value=each.event,
            step=each.step,
        )
    for tick, step, text in agent.said:
        yield _line(tick, name, "said", value=text, step=step)
    for tick, what, cause in agent.notices:
        yield _line(tick, name, "notice", part=what, cause=cause.json)


def _sensed_line(
    name: str, row_id: str, part: str, sensed: AtomStep
) -> ExportLine:
    """What an atom of a condition found; no value where it was passed over."""
    tick, step, atom, found = sensed
    value, cause = None, None
    if found is not None:
        value = [found.truth, found.left, found.right]
        if found.cause:
            cause = found.cause.json
    return _line(
        tick,
        name,
        "sensed",
        row=row_id,
        part=f"{part} {atom}".strip(),
        value=value,
        cause=cause,
        step=step,
    )


def _row_lines(
    name: str, row_id: str, record: RowRecord
) -> Iterator[ExportLine]:
    for span in record.spans:
        cause = span.cause.json if span.cause else None
        yield _line(
            span.start,
            name,
            "ran",
            row=row_id,
            end=span.end,
            value=span.outcome,
            cause=cause,
            step=span.start_step,
        )
    for part, refusals in record.refusals.items():
        for refusal in refusals:
            facts = refusal.cause.json
            yield _line(
                refusal.start,
                name,
                "refused",
                row=row_id,
                part=part,
                end=refusal.end,
                cause=facts,
                step=refusal.step,
            )
    for part, steps in record.atom_steps.items():
        for step in steps:
            yield _sensed_line(name, row_id, part, step)
    for part, gauges in record.gauges.items():
        for tick, gauge in zip(gauges.ticks, gauges.values, strict=True):
            value = [gauge.measured.value, gauge.value, gauge.of, gauge.about]
            yield _line(
                tick, name, "gauge", row=row_id, part=part, value=value
            )
    for tick, done in zip(
        record.progress.ticks, record.progress.values, strict=True
    ):
        yield _line(
            tick,
            name,
            "progress",
            row=row_id,
            value=[done.left, done.of, done.unit, done.rate],
        )
    for tick, way in zip(record.ways.ticks, record.ways.values, strict=True):
        yield _line(tick, name, "way", row=row_id, value=way)


def _line(tick: int, agent: str, what: str, **more: object) -> ExportLine:
    return {"tick": tick, "agent": agent, "what": what, **more}


def _jsonl(lines: Iterator[ExportLine]) -> str:
    return "".join(
        json.dumps(
            {
                name: line[name]
                for name in COLUMNS
                if line.get(name) is not None
            },
            ensure_ascii=False,
        )
        + "\n"
        for line in lines
    )


def _csv(lines: Iterator[ExportLine]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for line in lines:
        values = [line.get(name) for name in COLUMNS]
        cells: list[object] = []
        for value in values:
            if isinstance(value, list | tuple):
                cells.append(json.dumps(value))
            else:
                cells.append(value)
        writer.writerow(cells)
    return out.getvalue()
