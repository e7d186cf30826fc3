"""The condition language: any text gives a clean error or a tree that prints
back; answers are three-valued.
"""

import math
from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.codegen.expression import BoundSense
from umbrant.catalog.language.atom_results import (
    COMPARISON_OPERATORS,
    AtomResult,
)
from umbrant.catalog.language.bound_condition import BoundCondition
from umbrant.catalog.language.check import faults
from umbrant.catalog.language.grid import evaluate_on_grid
from umbrant.catalog.language.phrases import PhrasePieceKind, pieces, spoken
from umbrant.catalog.language.tree import (
    LanguageError,
    NumberTerm,
    SenseCall,
    parse,
    source,
)
from umbrant.catalog.language.written import (
    WrittenNumberChange,
    WrittenPart,
    changed_numbers,
    written_parts,
)
from umbrant.catalog.protocols import discard
from umbrant.catalog.readings import Reading
from umbrant.model.behaviors import Key
from umbrant.model.values import KeyType, Value

KEYS = {
    key.name: key
    for key in (
        Key(name="n", type=KeyType.NUMBER),
        Key(name="m", type=KeyType.NUMBER),
        Key(name="flag", type=KeyType.YES_NO),
        Key(name="raining", type=KeyType.YES_NO),
        Key(name="visitor", type=KeyType.AGENT),
        Key(name="mood", type=KeyType.TEXT),
        Key(name="spot", type=KeyType.POINT),
    )
}


@dataclass
class Held:
    """A key among the values of a scope, which may change."""

    values: dict[str, Value | None]
    name: str

    @property
    def value(self) -> Value | None:
        return self.values.get(self.name)


class Values:
    """A scope with fixed values; senses are looked up by their source."""

    def __init__(self, **values: Value | None) -> None:
        self.values = values

    def key(self, name: str) -> Held:
        return Held(self.values, name)

    def sense(self, evaluate: SenseCall) -> BoundSense:
        return BoundSense(
            lambda: Reading(
                self.values.get(
                    source(evaluate).replace("(visitor)", "_visitor")
                )
            )
        )


def evaluated(
    text: str, **values: Value | None
) -> tuple[bool, dict[int, AtomResult | None]]:
    """The answer, and what was told of each atom."""
    reported: dict[int, AtomResult | None] = {}
    return BoundCondition(
        parse(text), Values(**values), reported.__setitem__
    ).evaluate(), reported


def answer(text: str, **values: Value | None) -> bool:
    return evaluated(text, **values)[0]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("n < 6", True),
        ("n >= 6", False),
        ("1 < n < 3", True),
        ("n + 1 == 3", True),
        ("n * 2 - 1 > n / 2", True),
        ("-n < 0", True),
        ("flag and not raining", True),
        ("raining or flag", True),
        ("flag == yes", True),
        ("mood == 'calm'", True),
        ("mood != 'calm'", False),
        ("distance(visitor) < 6 and not raining", True),
    ],
)
def test_conditions_mean_what_they_say(text: str, expected: bool) -> None:
    values = {
        "n": 2.0,
        "flag": True,
        "raining": False,
        "mood": "calm",
        "distance_visitor": 5.0,
    }
    assert faults(text, KEYS, BUILTIN) == []
    assert answer(text, **values) is expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("n < 6", False),
        ("not n < 6", False),
        ("n < 6 or flag", True),
        ("n < 6 and flag", False),
        ("not (n < 6 and raining)", True),
        ("n / 0 < 1", False),
        ("not n / 0 < 1", False),
    ],
)
def test_what_is_unknown_counts_as_no_in_the_end_but_not_in_between(
    text: str, expected: bool
) -> None:
    assert answer(text, flag=True, raining=False) is expected


def test_asking_reports_what_is_found_and_leaves_out_what_is_written_and_what_was_not_asked() -> (
    None
):
    text = "n < 6 and 4 > m and m > n and flag"
    first, second, third, fourth = evaluated(text, n=2.0, m=0.5)[1].values()
    assert first == AtomResult(True, 2.0, None)
    assert second == AtomResult(True, None, 0.5)
    assert third == AtomResult(False, 0.5, 2.0)
    assert fourth is None
    written = written_parts(parse(text), BUILTIN)
    assert written == (
        WrittenPart(right=6.0),
        WrittenPart(left=4.0),
        WrittenPart(),
        WrittenPart(),
    )


def test_a_condition_takes_other_numbers_and_remembers_what_it_reported() -> (
    None
):
    reported: list[int] = []
    condition = BoundCondition(
        parse("n < 6 or n > 9"),
        Values(n=7.0),
        lambda atom, _: reported.append(atom),
    )
    assert not condition.evaluate()
    assert condition.renumber(parse("n < 6 or n > 6.5"), 1)
    assert condition.evaluate()
    # Of the second atom alone the answer is another one; what was found is
    # what it was.
    assert reported == [0, 1, 1]


@pytest.mark.parametrize(
    "text", ["n < 6 or n > 9", "n < 6", "n > 6 or n > 9", "m < 5 or n > 9"]
)
def test_a_condition_is_not_given_the_numbers_of_another(text: str) -> None:
    condition = BoundCondition(
        parse("n < 5 or n > 9"), Values(n=5.5, m=0.0), discard
    )
    assert condition.renumber(parse(text), 1) is (text == "n < 6 or n > 9")
    assert condition.evaluate() is (text == "n < 6 or n > 9")


@pytest.mark.parametrize(
    ("before", "after", "found"),
    [
        ("n < 5", "n < 6", [WrittenNumberChange(0, 5.0, 6.0, "<")]),
        (
            "flag and 5 < n",
            "flag and 6 < n",
            [WrittenNumberChange(1, 5.0, 6.0, "<", is_left=True)],
        ),
        (
            "not can_see(who, within=3)",
            "not can_see(who, within=4)",
            [WrittenNumberChange(0, 3.0, 4.0)],
        ),
        ("n < 5", "n <= 6", None),
        ("n < 5", "m < 6", None),
        ("n < 5 and flag", "n < 6 or flag", None),
        ("n + 1 < 5", "n + 2 < 5", None),
        ("can_see(who, within=3)", "can_see(who)", None),
        ("heard('bark', within=3)", "heard('bark', within=4)", None),
        (
            "count_of('gulls', within=3) > 1",
            "count_of('gulls', within=4) > 1",
            None,
        ),
        ("random(0, 1) < 0.5", "random(0, 2) < 0.5", None),
    ],
)
def test_which_numbers_differ_is_known_where_a_take_says_what_comes_of_them(
    before: str, after: str, found: list[WrittenNumberChange] | None
) -> None:
    changed = changed_numbers(parse(before), parse(after), BUILTIN)
    assert changed == (None if found is None else tuple(found))


@given(
    sign=st.sampled_from(sorted(COMPARISON_OPERATORS)),
    numbers=st.tuples(*[st.sampled_from([0.0, 1.0, 1.5, 2.0, 3.0])] * 3),
    is_left=st.booleans(),
)
def test_a_number_changes_an_answer_just_where_it_is_another_one(
    sign: str, numbers: tuple[float, float, float], is_left: bool
) -> None:
    before, after, measured = numbers
    truths = [
        COMPARISON_OPERATORS[sign](
            *((each, measured) if is_left else (measured, each))
        )
        for each in (before, after)
    ]
    change = WrittenNumberChange(0, before, after, sign, is_left)
    left, right = (None, measured) if is_left else (measured, None)
    assert change.may_change(truths[0], left, right) is (
        truths[0] is not truths[1]
    )


def test_a_range_changes_an_answer_between_the_old_one_and_the_new() -> None:
    wider = WrittenNumberChange(0, 3.0, 4.0)
    found = [
        (False, 5.0),
        (False, 4.0),
        (False, 3.5),
        (True, 3.0),
        (None, None),
    ]
    assert [wider.may_change(truth, away, None) for truth, away in found] == [
        False,
        True,
        True,
        False,
        False,
    ]


def test_what_an_atom_finds_is_told_when_it_is_another_than_before() -> None:
    values, reported = Values(n=2.0, m=3.0), []
    asker = BoundCondition(
        parse("n < 6 and m > 1"),
        values,
        lambda atom, found: reported.append((atom, found)),
    )
    for n in (2.0, 2.0, 7.0, 7.0, 3.0):
        values.values["n"] = n
        asker.evaluate()
    assert [(atom, found and found.left) for atom, found in reported] == [
        (0, 2.0),
        (1, 3.0),
        (0, 7.0),
        (1, None),
        (0, 3.0),
        (1, 3.0),
    ]


class InLine(Values):
    """A scope whose one sense, `is_set`, is written out, or asked by its
    function.
    """

    def __init__(self, in_line: str, **values: Value | None) -> None:
        super().__init__(**values)
        self.in_line = in_line

    def sense(self, evaluate: SenseCall) -> BoundSense:
        held = self.key(getattr(evaluate.args[0], "key", ""))
        return BoundSense(
            lambda: held.value is not None, self.in_line, {"key": held}
        )


@pytest.mark.parametrize(
    "text",
    [
        "is_set(n)",
        "not is_set(n)",
        "flag and is_set(n)",
        "is_set(n) == flag or n > 1",
    ],
)
@given(
    st.lists(
        st.tuples(
            st.sampled_from([None, 1.0, 2.0]),
            st.sampled_from([None, True, False]),
        ),
        max_size=8,
    )
)
def test_a_sense_in_line_answers_and_tells_as_it_does_when_asked(
    text: str, steps: list[tuple[float | None, bool | None]]
) -> None:
    heard: list[list[object]] = []
    for in_line in ("{key}.value is not None", ""):
        scope, reported = InLine(in_line), []
        asker = BoundCondition(
            parse(text),
            scope,
            lambda atom, found, reported=reported: reported.append(
                (atom, found)
            ),
        )
        for n, flag in steps:
            scope.values.update(n=n, flag=flag)
            reported.append(asker.evaluate())
        heard.append(reported)
    assert heard[0] == heard[1]


def test_an_unset_key_is_named_as_what_stood_in_the_way() -> None:
    answered, reported = evaluated("n < 6")
    assert answered is False
    found = reported[0]
    assert found is not None
    assert found.cause is not None
    assert (found.cause.kind, found.cause.facts["key"]) == ("not_set", "n")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "empty"),
        ("n <", "not understood"),
        ("n = 3", "=="),
        ("(n < 3", "closed"),
        ("__import__('os')", "no sense"),
        ("wait(3)", "a node of the family action"),
        ("flag is no", "stands alone"),
        ("visitor.place", "allowed"),
        ("[n for n in m]", "allowed"),
        ("lambda: 1", "allowed"),
        ("n ** 2 > 1", "allowed"),
        ("n if flag else m", "allowed"),
        ("lamp_oil < 1", "no key"),
        ("distanc(visitor) < 3", "Did you mean 'distance'"),
        ("distance", "brackets"),
        ("distance() < 3", "needs"),
        ("distance(n) < 3", "wants"),
        ("distance(visitor, 3, 4) < 3", "at the most"),
        ("can_see(visitor, wihtin=3)", "Did you mean 'within'"),
        ("n", "not yes or no"),
        ("n and flag", "neither"),
        ("flag + 1 > 2", "reckoned"),
        ("mood < 3", "only numbers"),
        ("flag == 3", "never equal"),
        ("(n < 3) == (m < 3)", "cannot itself be compared"),
        ("n < 1e999", "no number"),
        ("a" * 2000, "at most"),
        ("(" * 300 + "n" + ")" * 300, ""),
    ],
)
def test_what_is_wrong_is_said(text: str, says: str) -> None:
    found = faults(text, KEYS, BUILTIN)
    assert found
    assert says in f"{found[0].message} {found[0].remedy}"


def test_a_fault_stands_under_the_word_that_is_wrong() -> None:
    (found,) = faults("n < 6 and zz > 1", KEYS, BUILTIN)
    assert found.span == (10, 12)


@given(st.text(max_size=60))
def test_any_text_gives_a_clean_error_or_a_tree_that_prints_back(
    text: str,
) -> None:
    try:
        tree = parse(text)
    except LanguageError as error:
        start, end = error.span
        assert 0 <= start <= end
        return
    assert parse(source(tree)) == tree


EXPRESSIONS = st.recursive(
    st.sampled_from(["n", "m", "2", "0.5", "-3"]),
    lambda inner: st.tuples(inner, st.sampled_from("+-*/"), inner).map(
        lambda t: f"({t[0]} {t[1]} {t[2]})"
    ),
    max_leaves=4,
)
COMPARED = st.tuples(
    EXPRESSIONS,
    st.sampled_from(["<", "<=", ">", ">=", "==", "!="]),
    EXPRESSIONS,
).map(" ".join)
CONDITIONS = st.recursive(
    COMPARED | st.sampled_from(["flag", "raining", "yes"]),
    lambda inner: st.one_of(
        inner.map(lambda part: f"not ({part})"),
        st.tuples(inner, st.sampled_from([" and ", " or "]), inner).map(
            lambda t: f"({t[0]}){t[1]}({t[2]})"
        ),
    ),
    max_leaves=6,
)
NUMBERS = st.none() | st.sampled_from([0.0, 0.5, 2.0, -3.0, 7.25])
YES_NO = st.none() | st.booleans()


@given(
    CONDITIONS,
    st.lists(
        st.tuples(NUMBERS, NUMBERS, YES_NO, YES_NO), min_size=1, max_size=6
    ),
)
def test_a_grid_gives_the_same_answers_as_asking_one_at_a_time(
    text: str,
    cases: list[tuple[float | None, float | None, bool | None, bool | None]],
) -> None:
    tree = parse(text)
    columns = list(zip(*cases, strict=True))
    names = ("n", "m", "flag", "raining")
    grid = {
        name: np.array(
            [math.nan if each is None else float(each) for each in column]
        )
        for name, column in zip(names, columns, strict=True)
    }
    answers = np.broadcast_to(evaluate_on_grid(tree, grid), (len(cases),))
    for case, found in zip(cases, answers, strict=True):
        assert (found == 1.0) == answer(
            text, **dict(zip(names, case, strict=True))
        )


@given(CONDITIONS, st.tuples(NUMBERS, NUMBERS, YES_NO, YES_NO))
def test_an_answer_is_the_same_whether_or_not_anybody_is_told(
    text: str,
    given_: tuple[float | None, float | None, bool | None, bool | None],
) -> None:
    n, m, flag, raining = given_
    values = Values(n=n, m=m, flag=flag, raining=raining)
    reported = BoundCondition(
        parse(text), values, lambda atom, found: None
    ).evaluate()
    assert BoundCondition(parse(text), values, discard).evaluate() is reported


def test_a_condition_is_read_in_words_with_its_numbers_apart() -> None:
    tree = parse("can_see(visitor, within=8) and not n < 0.5")
    assert (
        spoken(tree, BUILTIN) == "can see visitor within 8 m and not n < 0.5"
    )
    numbers = [
        piece
        for piece in pieces(tree, BUILTIN)
        if piece.kind is PhrasePieceKind.NUMBER
    ]
    assert [(piece.value, piece.span) for piece in numbers] == [
        (8.0, (24, 25)),
        (0.5, (39, 42)),
    ]
    assert numbers[0].quantity.unit == "m"


def test_a_negative_number_is_one_number() -> None:
    assert parse("-3") == NumberTerm(-3.0, (0, 2))


def test_long_and_deep_conditions_are_asked_or_refused_in_words() -> None:
    long = " and ".join(["n < 5"] * 90)
    assert answer(long, n=3.0)
    deep = "(n < 5 or " * 45 + "n < 1" + ")" * 45
    with pytest.raises(LanguageError, match="nested too deeply"):
        parse(deep)
    fine = "(n < 5 or " * 30 + "n < 1" + ")" * 30
    assert answer(fine, n=3.0)
