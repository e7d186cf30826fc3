"""What happened in a take, told for a terminal or a program."""

from collections import Counter
from itertools import chain

from umbrant.cli.output import say
from umbrant.reasons.decision_changes import decision_changes, leading_spans
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take


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
    for lead in decision_changes(take, name):
        line = explainer.change(lead)
        say(
            f"{take.header.seconds(lead.start):7.2f} s  {line.number:5} {line.text}"
        )


def _summary(take: Take, name: str) -> str:
    """What an agent spent its time on, the longest first, and how often it
    changed its mind.
    """
    explainer, spent = Explainer(take, name), Counter[str]()
    for lead in chain.from_iterable(leading_spans(take, name)[:1]):
        spent[explainer.names.titles[lead.row_id]] += lead.end + 1 - lead.start
    summary = ", ".join(
        f"{title} {take.header.seconds(ticks):.1f} s"
        for title, ticks in spent.most_common(5)
    )
    changes = max(0, len(decision_changes(take, name)) - 1)
    return f"{explainer.title}: {summary}; {changes} changes of mind"


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
