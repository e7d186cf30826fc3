"""No sentence says anything that did not happen: every claim is held against
the raw take.
"""

from collections import Counter

import pytest
from hypothesis import given, settings

from tests.engine.trees import trees
from tests.kinds import CATALOG
from tests.reasons.claims import CHECKERS
from tests.reasons.count_claims import ClaimCount
from tests.small import played, project, row
from umbrant.model.behaviors import Row
from umbrant.reasons.sentences import ClaimKind, claim
from umbrant.reasons.why import Explainer
from umbrant.take.reader import Take


def check_take(
    take: Take, agent: str, ticks: range, explainer: Explainer
) -> Counter[str]:
    """Check every answer about an agent at some ticks; how many claims there
    were of each kind.
    """
    count = ClaimCount()
    count.check_take(take, agent, ticks, explainer)
    assert count.false == []
    return count.checked


def test_every_kind_of_claim_has_a_checker() -> None:
    played_instead = {ClaimKind.WOULD_WIN}
    assert set(ClaimKind) == set(CHECKERS) | played_instead


@settings(max_examples=25, deadline=None)
@given(trees())
def test_what_is_said_of_random_behaviors_happened(rows: list[Row]) -> None:
    take = played(project(*rows, seconds=1.2))
    explainer = Explainer(take, "a", CATALOG)
    assert check_take(take, "a", range(take.ticks), explainer)


@pytest.mark.parametrize(
    "agent", ["odo", "brine", "mila", "tam", "gull_2", "gull_5"]
)
def test_what_is_said_of_the_demo_happened(
    demo_take: Take, agent: str
) -> None:
    explainer = Explainer(demo_take, agent)
    checked = check_take(
        demo_take, agent, range(3, demo_take.ticks, 83), explainer
    )
    assert sum(checked.values()) > 100


@pytest.mark.parametrize("agent", ["odo", "brine", "mila", "tam"])
def test_every_answer_about_the_demo_begins_with_a_sentence_that_answers(
    demo_take: Take, agent: str
) -> None:
    explainer = Explainer(demo_take, agent)
    record = demo_take.agents[agent]
    ends = {
        span.end
        for row_record in record.rows.values()
        for span in row_record.spans
    }
    ticks = sorted(
        {each for each in ends if each is not None}
        | set(range(0, demo_take.ticks, 40))
    )
    silent = [tick for tick in ticks if explainer.why(tick).headline is None]
    assert silent == []
    count = ClaimCount()
    for tick in ticks:
        count.check_take(demo_take, agent, range(tick, tick + 1), explainer)
    assert count.false == []


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
        claim(ClaimKind.OFF_STAGE, "", 2, since=2, cues=[]),
        claim(ClaimKind.NOT_SET, "rr", 2, key="n"),
    )
    assert not any(CHECKERS[each.kind](explainer, each) for each in false)
    true = (
        claim(ClaimKind.RUNS, "rr", 2, since=0),
        claim(ClaimKind.ENTERED, "rr", 0),
        claim(ClaimKind.ENDED, "rr", 3, outcome="success", now=6),
    )
    assert all(CHECKERS[each.kind](explainer, each) for each in true)


def test_what_is_said_of_random_projects_happened() -> None:
    count = ClaimCount()
    for seed in range(14):
        count.check_random(seed)
    assert count.false == []
    assert count.checked.total() > 1000
