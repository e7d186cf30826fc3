"""Holds every sentence about random projects against the raw takes, and
counts: `python -m tests.reasons.count_claims [SEEDS]`. It ends with 1 if one
is false.
"""

import re
import sys
from collections import Counter
from collections.abc import Iterable

from tests.kinds import CATALOG
from tests.reasons.claims import CHECKERS
from tests.review.random_projects import (
    ChartProject,
    DrawnProject,
    RandomProject,
    StageProject,
)
from tests.small import causes_of, has_all_facts, played
from umbrant.reasons.decision_changes import decision_changes
from umbrant.reasons.sentences import Answer, AnswerLine
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take


def lines_of(answer: Answer) -> list[AnswerLine]:
    """All sentences of an answer."""
    return [*([answer.headline] if answer.headline else []), *answer.lines]


_COMPARED = re.compile(
    r"(?P<one>-?[\d.]+)(?: [a-z]+)?(?: away)?, "
    r"(?:above|below|beyond|less than|not at least|not at most)(?: the)? "
    r"(?P<other>-?[\d.]+)(?![\d.]*\d)"
)
_SCORED = re.compile(
    r"scores (?P<one>[\d.]+), and it scores (?P<other>[\d.]+)"
)

_READ = re.compile(
    r"(?:^|[:;,—] |, and )(?P<key>\w+) (?:is|was) (?P<value>-?[\d.]+\d|-?\d|yes|no|set|not set)"
    r"(?=[,;.]|$)"
)
_WRITTEN = re.compile(
    r"; (?P<key>\w+) became (?P<value>not set|\([^)]*\)|[\w.-]+)"
)
_OUTSCORED = re.compile(
    r" scored (?P<own>[\d.]+\d)(?: when it was last decided)?; "
    r"\S+ scored (?P<best>[\d.]+\d)(?: \+ (?P<bonus>[\d.]+\d) for staying)?"
)
_ANOTHER_WAY = re.compile(
    "refused|is held|drawn|at this tick|was stopped|was left"
)
"""What may be in the way of an option that scores more than the one that is
at work.
"""
ROUNDED = 0.0051
"""By how much numbers that are rounded to two digits may be apart."""


def contradicts_itself(text: str) -> bool:
    """Whether a sentence says that a number is above or below one that reads
    the same, or that a key is one thing and became another.
    """
    return (
        any(
            float(found["one"].rstrip("."))
            == float(found["other"].rstrip("."))
            for pattern in (_COMPARED, _SCORED)
            for found in pattern.finditer(text)
        )
        or any(map(_differ, *_read_and_written(text)))
        or _lost_with_more(text)
    )


def _lost_with_more(text: str) -> bool:
    """Whether an option is said to have scored more than the one that won, and
    nothing else in its way.
    """
    found = _OUTSCORED.search(text)
    if found is None or _ANOTHER_WAY.search(text):
        return False
    best = float(found["best"]) + float(found["bonus"] or 0.0)
    return float(found["own"]) > best + ROUNDED


def _read_and_written(text: str) -> tuple[list[str], list[str]]:
    """For each key that a sentence has once what it was read as, and what it
    became.
    """
    read, written = (
        [(each["key"], each["value"]) for each in pattern.finditer(text)]
        for pattern in (_READ, _WRITTEN)
    )
    keys = [
        key
        for key, _ in read
        if [each for each, _ in read].count(key) == 1
        and [each for each, _ in written].count(key) == 1
    ]
    return [dict(read)[key] for key in keys], [
        dict(written)[key] for key in keys
    ]


def _differ(read: str, written: str) -> bool:
    if read in ("set", "not set"):
        return (read == "set") == (written == "not set")
    try:
        return abs(float(read) - float(written)) > ROUNDED
    except ValueError:
        return read != written


KINDS = (RandomProject, ChartProject, DrawnProject, StageProject)
"""What is drawn, in turns."""


class ClaimCount:
    """How many claims of each kind were checked, and those that were false
    with their sentences.
    """

    def __init__(self) -> None:
        self.checked: Counter[str] = Counter()
        self.false: list[tuple[str, object]] = []

    def check(self, explainer: Explainer, lines: Iterable[AnswerLine]) -> None:
        """Check the claims of some sentences."""
        for line in lines:
            if contradicts_itself(line.text):
                self.false.append((line.text, "contradicts itself"))
            for each in line.claims:
                self.checked[each.kind] += 1
                if each.kind in CHECKERS and not CHECKERS[each.kind](
                    explainer, each
                ):
                    self.false.append((line.text, each))

    def check_take(
        self,
        take: Take,
        agent: str,
        ticks: Iterable[int],
        explainer: Explainer,
    ) -> None:
        """Check every answer about an agent at some ticks."""
        for tick in ticks:
            answer = explainer.why(tick)
            if explainer.path(tick) and answer.headline is None:
                self.false.append(("no sentence answers", (agent, tick)))
            self.check(explainer, lines_of(answer))
            for row_id in explainer.outline.number:
                self.check(
                    explainer, lines_of(explainer.why_not(tick, row_id))
                )
            self.check(
                explainer, [step.line for step in explainer.ticks.steps(tick)]
            )
        self.check(
            explainer, map(explainer.change, decision_changes(take, agent))
        )

    def check_random(self, seed: int, every: int = 3) -> None:
        """Check the answers about a random project, at every so many ticks."""
        take = played(KINDS[seed % len(KINDS)](seed).made)
        # One without a fact would read as 'beyond not set'.
        self.false.extend(
            ("a cause lacks a fact", each)
            for each in causes_of(take)
            if not has_all_facts(each)
        )
        for name, agent in take.agents.items():
            if agent.rows:
                explainer = Explainer(take, name, CATALOG)
                ticks = range(0, take.ticks, every)
                self.check_take(take, name, ticks, explainer)


def main() -> int:
    """Count, print, and say whether all were true."""
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    count = ClaimCount()
    for seed in range(seeds):
        count.check_random(seed)
    for text, claim in count.false:
        print(f"false: {text} {claim}")
    for kind, number in sorted(count.checked.items()):
        print(f"{number:8} {kind}")
    print(f"sentences {count.checked.total()} false {len(count.false)}")
    return 1 if count.false else 0


if __name__ == "__main__":
    sys.exit(main())
