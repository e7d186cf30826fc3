"""What is not known, and why: the input of a consideration, a formula's key, a
condition with a number that cannot be.
"""

import pytest

from tests.kinds import CATALOG
from tests.reasons.count_claims import ClaimCount, lines_of
from tests.small import played, project, row
from tests.test_own import rolled
from umbrant.catalog.builtin import BUILTIN
from umbrant.model.behaviors import Key
from umbrant.model.documents import NodeFile, Project
from umbrant.model.staging import Cue, SetKey
from umbrant.model.values import KeyType
from umbrant.reasons.now import now_value
from umbrant.reasons.sentences import Answer
from umbrant.reasons.why import Explainer
from umbrant.review import review_take
from umbrant.take.reader import Take

KEYS = (
    Key(name="v", type=KeyType.AGENT, default="nobody"),
    Key(name="n", type=KeyType.NUMBER, default=0.0),
    Key(name="gap", type=KeyType.NUMBER, formula="distance(v) - 1"),
    Key(name="share", type=KeyType.NUMBER, formula="1 / n"),
)
DAY = (
    row("uu", "utility", name="Day"),
    row("o1", "option", "uu", name="Greet"),
    row("c1", "consider", "o1", name="Near", input="distance(v)", high=9.0),
    row("l1", "last", "o1", ticks=9),
    row("o2", "option", "uu", name="Rest", weight=0.5),
    row("l2", "last", "o2", ticks=9),
)


def checked(explains: Explainer, answer: Answer) -> str:
    """The text of an answer, whose claims are checked."""
    count = ClaimCount()
    count.check(explains, lines_of(answer))
    assert not count.false
    return answer.text


def explainer(made: Project) -> Explainer:
    return Explainer(played(made), "a", CATALOG)


def test_an_input_that_is_not_known_says_what_its_sense_found() -> None:
    explains = explainer(project(*DAY, keys=KEYS, seconds=0.5))
    assert explains.why_not(2, "o1").lines[0].text == (
        "Greet scored 0.00, not more than the threshold of 0.00, for Near is "
        "not known; Rest scored 0.50. It would win by no single input that is "
        "known. It has not run before in this take."
    )
    assert "Near is not known: 'nobody' is not on the stage." in checked(
        explains, explains.why_not(2, "o1")
    )
    assert (
        "Near is considered when Greet is scored: its input was not known "
        "last: 'nobody' is not on the stage."
    ) in checked(explains, explains.why_not(2, "c1"))
    said = [each.line.text for each in explains.ticks.steps(0)]
    assert "Near is not known: 'nobody' is not on the stage." in said


def test_an_input_that_becomes_known_is_not_called_unknown() -> None:
    made = project(
        *DAY,
        keys=KEYS,
        seconds=1.0,
        cues=(Cue(at_s=0.5, does=SetKey(sets="v", value="a", of="a")),),
    )
    explains = explainer(made)
    assert "not known" in explains.why_not(4, "c1").text
    assert "its input was 0.00 last" in explains.why_not(6, "c1").text
    assert "not known" not in explains.why_not(6, "o1").text


GUARDED = (
    row("top", "selector", name="Day"),
    row("l1", "last", "top", name="Close", guard="gap < 1", ticks=9),
    row("l2", "last", "top", name="Split", guard="share > 1", ticks=9),
    row("l3", "last", "top", name="Half", guard="1 / n > 1", ticks=9),
    row("l4", "last", "top", name="Rest", ticks=9),
)


@pytest.mark.parametrize(
    ("row_id", "says"),
    [
        (
            "l1",
            "gap is not set; gap is distance(v) - 1: 'nobody' is not on the "
            "stage.",
        ),
        ("l2", "share is not set; share is 1 / n: it divides by 0."),
        ("l3", "1 ÷ n > 1 cannot be said — it divides by 0."),
    ],
)
def test_a_formula_without_a_value_says_why(row_id: str, says: str) -> None:
    explains = explainer(project(*GUARDED, keys=KEYS, seconds=0.5))
    assert says in checked(explains, explains.why_not(0, row_id))


def test_the_steps_of_a_tick_say_why_a_formula_has_no_value() -> None:
    explains = explainer(project(*GUARDED, keys=KEYS, seconds=0.5))
    said = [each.line.text for each in explains.ticks.steps(0)]
    assert (
        "The formula of gap has no value: 'nobody' is not on the stage."
        in (said)
    )
    assert "The formula of share has no value: it divides by 0." in said


SENSE = '''
"""A sense."""

from umbrant.nodes import *


@sense("mood at {hour}", gives=KeyType.NUMBER)
def mood(me: Agent, *, hour: Number = 1.0) -> float:
    """How it is.

    hour: when
    """
    if 0.25 < me.world.now_s < 0.45:
        raise KeyError("hour")
    return 0.5
'''


def taken(*rows: object, keys: tuple[Key, ...] = ()) -> Take:
    made = project(*rows, keys=keys, seconds=1.0)  # type: ignore[arg-type]
    return rolled(
        made.model_copy(
            update={"nodes": (NodeFile(name="mood.py", text=SENSE),)}
        )
    )


def broken(take: Take) -> list[tuple[str, str]]:
    return [
        (each.row_id, each.message)
        for each in review_take(take, BUILTIN)["a"]
        if each.rule.id == "node_raised"
    ]


ERROR = "nodes/mood.py, line 14: KeyError: 'hour'"


def test_code_that_raises_in_a_condition_is_found() -> None:
    take = taken(
        row("top", "selector"),
        row("l1", "wait", "top", guard="mood() > 0.8", duration=1.0),
    )
    assert broken(take) == [("l1", f"At 0.30 s: {ERROR}.")]


def test_code_that_raises_in_a_formula_is_found() -> None:
    key_of_it = Key(name="merry", type=KeyType.NUMBER, formula="mood() * 2")
    take = taken(row("l1", "wait", duration=9.0), keys=(key_of_it,))
    assert broken(take) == [("", f"merry, at 0.30 s: {ERROR}.")]


def test_code_that_raises_in_a_consideration_is_found() -> None:
    take = taken(
        row("uu", "utility"),
        row("o1", "option", "uu"),
        row("c1", "consider", "o1", input="mood()"),
        row("l1", "wait", "o1", duration=9.0),
    )
    assert broken(take) == [("c1", f"At 0.30 s: {ERROR}.")]


def test_a_formula_that_makes_no_sense_says_so() -> None:
    odd = Key(name="odd", type=KeyType.NUMBER, formula="n + can_see(v)")
    explains = explainer(
        project(
            row("l1", "last", ticks=9, guard="odd > 1"),
            keys=(*KEYS, odd),
            seconds=0.3,
        )
    )
    assert (
        "odd is n + can_see(v): its condition cannot be read: a yes/no cannot "
        "be reckoned with."
    ) in checked(explains, explains.why_not(1, "l1"))


def test_an_unknown_input_shows_no_number() -> None:
    explains = explainer(project(*DAY, keys=KEYS, seconds=0.5))
    assert now_value(explains, "c1", 2) == "unknown"
    assert now_value(explains, "o1", 2) == "0.00"
