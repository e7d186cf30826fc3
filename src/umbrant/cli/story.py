"""What happened in a take, told for a terminal or a program."""

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import chain, zip_longest

from umbrant.cli.output import say
from umbrant.model.values import count_text
from umbrant.reasons.decision_changes import (
    LeadingSpan,
    decision_changes,
    leading_spans,
)
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take

MOST_LINES = 40
"""How many lines the changes of mind of one agent may take: a screenful."""
MOST_TURNS = 6
"""How often two rows may take turns before the rest is told in one line."""
SHOWN_TURNS = 3
"""How many turns say why each of the two rows took the lead."""


def print_story(take: Take) -> None:
    """What happened, in a screenful: the first agent's changes of mind, a line
    for each other, where the take is.
    """
    played = take.header.played
    length = f"{take.header.seconds(take.ticks):.1f} s, {take.ticks} ticks"
    say(
        f"{take.header.project.cover.title}, scenario '{played.name}', seed {take.header.seed}: "
        f"{length}"
    )
    for _, what, cause in take.notices:
        say(f"  {what}: {''.join(text for _, text in cause.parts())}.")
    for member in played.players:
        for _, what, cause in take.agents[member.name].notices:
            say(
                f"  {member.title or member.name}: {what}: "
                f"{''.join(text for _, text in cause.parts())}."
            )
    agents = [member.name for member in played.players if member.behavior]
    for name in agents[:1]:
        _print_changes(take, name)
    if agents[1:]:
        say()
    for name in agents[1:]:
        say(f"{_summary(take, name)}")
    say(f"\nThe take is in {take.path}")


def _print_changes(take: Take, name: str) -> None:
    explainer = Explainer(take, name)
    say(f"\n{explainer.title}, by behavior '{explainer.behavior.title}'")
    lines = list(_change_lines(explainer, decision_changes(take, name)))
    for line in lines[:MOST_LINES]:
        say(line)
    left = len(lines) - MOST_LINES
    if left > 0:
        say(f"{'…':>9}  and {count_text(left, 'line')} more: --json has all")


def _change_lines(
    explainer: Explainer, changes: Sequence[LeadingSpan]
) -> Iterator[str]:
    """A line for each change of mind. Of two rows that take turns again and
    again only the first turns, and how it went on.
    """
    seconds, at = explainer.header.seconds, 0
    while at < len(changes):
        turns = _turns(changes, at)
        shown = turns if turns < MOST_TURNS else SHOWN_TURNS
        for lead in changes[at : at + shown]:
            line = explainer.change(lead)
            yield f"{seconds(lead.start):7.2f} s  {line.number:5} {line.text}"
        if shown < turns:
            one, other = (
                explainer.names.titles[each.row_id]
                for each in changes[at : at + 2]
            )
            until = seconds(changes[at + turns - 1].start)
            yield f"{'…':>9}  {one} and {other} take turns {turns} times, until {until:.2f} s"
        at += turns


def _turns(changes: Sequence[LeadingSpan], at: int) -> int:
    """How many changes from one on are to and fro between the same two rows;
    1 where it is followed by something else.
    """
    count = 1
    while at + count < len(changes) and (
        count == 1
        or changes[at + count].row_id == changes[at + count - 2].row_id
    ):
        count += 1
    # The first of those that do not alternate belongs to what follows.
    return count if count > 2 else 1


def _summary(take: Take, name: str) -> str:
    """What an agent spent its time on, the longest first, and how often it
    changed its mind.
    """
    explainer, spent = Explainer(take, name), Counter[str]()
    leads = tuple(chain.from_iterable(leading_spans(take, name)[:1]))
    for lead, then in zip_longest(leads, leads[1:]):
        # A tick is spent on what it came to in the end, not on each row that
        # was tried within it.
        if then is None or then.start > lead.end:
            ticks = lead.end + 1 - lead.start
        else:
            ticks = then.start - lead.start
        spent[explainer.names.titles[lead.row_id]] += ticks
    summary = ", ".join(
        f"{title} {take.header.seconds(ticks):.1f} s"
        for title, ticks in spent.most_common(5)
        if ticks
    )
    changes = max(0, len(decision_changes(take, name)) - 1)
    return f"{explainer.title}: {summary}; {count_text(changes, 'change')} of mind"


def changes_data(take: Take) -> dict[str, list[dict[str, object]]]:
    """Each agent's changes of mind, for a program to read."""
    found: dict[str, list[dict[str, object]]] = {}
    for name in take.agents:
        explainer = Explainer(take, name)
        found[name] = [
            {
                "tick": lead.start,
                "seconds": take.header.seconds(lead.start),
                "row": lead.row_id,
                "reason": explainer.change(lead).text,
            }
            for lead in decision_changes(take, name)
        ]
    return found
