"""What a finding says of play is so: random projects that have it are played,
none refutes it.
"""

from tests.review.count_findings import REFUTERS, FindingCount
from umbrant.review.findings import Subject
from umbrant.review.rules import all_rules

PROJECTS = 150


def test_playing_refutes_no_finding() -> None:
    count = FindingCount(range(PROJECTS))
    assert count.refuted == []
    assert len(count.flagged) >= 12
    assert count.flagged.total() > PROJECTS


def test_what_can_be_refuted_are_rules_about_documents() -> None:
    rules = all_rules()
    assert all(rules[each].subject is not Subject.TAKE for each in REFUTERS)
