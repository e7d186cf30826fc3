"""No sentence says anything that did not happen: every claim is held against the raw take."""

from collections import Counter
from collections.abc import Iterable

import pytest
from hypothesis import given, settings

from tests.engine.trees import trees
from tests.kinds import CATALOG
from tests.reasons.claims import CHECKERS
from tests.review.random_projects import RandomProject
from tests.small import played, project, row
from umbrant.model.behaviors import Row
from umbrant.reasons.decision_changes import decision_changes
from umbrant.reasons.sentences import Answer, AnswerLine, ClaimKind, claim
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take


def lines_of(answer: Answer) -> list[AnswerLine]:
    """All sentences of an answer."""
    return [*([answer.headline] if answer.headline else []), *answer.lines]


def check(explainer: Explainer, lines: Iterable[AnswerLine], checked: Counter[str]) -> None:
    """Every claim of some sentences holds."""
    for line in lines:
        for each in line.claims:
            checked[each.kind] += 1
            if each.kind in CHECKERS:
                assert CHECKERS[each.kind](explainer, each), (line.text, each)


def check_take(take: Take, agent: str, ticks: Iterable[int], explainer: Explainer) -> Counter[str]:
    """Every answer about an agent at some ticks."""
    checked: Counter[str] = Counter()
    for tick in ticks:
        check(explainer, lines_of(explainer.why(tick)), checked)
        for row_id in explainer.outline.number:
            check(explainer, lines_of(explainer.why_not(tick, row_id)), checked)
        check(explainer.ticks, [step.line for step in explainer.ticks.steps(tick)], checked)
    check(explainer, map(explainer.change, decision_changes(take, agent)), checked)
    return checked


def test_every_kind_of_claim_has_a_checker() -> None:
    played_instead = {ClaimKind.WOULD_WIN}
    assert set(ClaimKind) == set(CHECKERS) | played_instead


@settings(max_examples=60, deadline=None)
@given(trees())
def test_what_is_said_of_random_behaviors_happened(rows: list[Row]) -> None:
    take = played(project(*rows, seconds=1.2))
    explainer = Explainer(take, "a", CATALOG)
    assert check_take(take, "a", range(take.ticks), explainer)


@pytest.mark.parametrize("agent", ["odo", "brine", "mila", "tam", "gull_2", "gull_5"])
def test_what_is_said_of_the_demo_happened(demo_take: Take, agent: str) -> None:
    explainer = Explainer(demo_take, agent)
    checked = check_take(demo_take, agent, range(3, demo_take.ticks, 83), explainer)
    assert sum(checked.values()) > 100


def test_a_false_claim_is_found() -> None:
    take = played(project(row("rr", "last", ticks=3), seconds=0.8))
    explainer = Explainer(take, "a", CATALOG)
    false = (
        claim(ClaimKind.RUNS, "rr", 3, since=0),
        claim(ClaimKind.ENTERED, "rr", 1),
        claim(ClaimKind.ENDED, "rr", 3, outcome="failure", now=3),
        claim(ClaimKind.ENDED, "rr", 3, outcome="success", now=7),
        claim(ClaimKind.REFUSED, "rr", 2, cause="guard"),
        claim(ClaimKind.NOT_TRIED, "rr", 2),
        claim(ClaimKind.MUTED, "rr", 2),
        claim(ClaimKind.RECEIVED, "", 2, event="bell"),
        claim(ClaimKind.LEFT_TO_DO, "rr", 1, left=9.0),
        claim(ClaimKind.OFF_STAGE, "", 2),
    )
    assert not any(CHECKERS[each.kind](explainer, each) for each in false)
    true = (
        claim(ClaimKind.RUNS, "rr", 2, since=0),
        claim(ClaimKind.ENTERED, "rr", 0),
        claim(ClaimKind.ENDED, "rr", 3, outcome="success", now=6),
    )
    assert all(CHECKERS[each.kind](explainer, each) for each in true)


@pytest.mark.parametrize("seed", range(20))
def test_what_is_said_of_random_projects_happened(seed: int) -> None:
    take = played(RandomProject(seed).made)
    explainer = Explainer(take, "a", CATALOG)
    assert sum(check_take(take, "a", range(0, take.ticks, 3), explainer).values()) > 20
