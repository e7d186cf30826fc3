"""Conditions are typed as they are read: what the phrase writer writes reads
back as the same.
"""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.catalog.language.check import bound_args, faults
from umbrant.catalog.language.phrases import spoken
from umbrant.catalog.language.reading import read_phrase, typed_condition
from umbrant.catalog.language.tree import (
    Arithmetic,
    Comparison,
    ConditionTree,
    Conjunction,
    Disjunction,
    LanguageError,
    Negation,
    SenseCall,
    parse,
    source,
)
from umbrant.catalog.params import ParamType
from umbrant.model.behaviors import Key
from umbrant.model.values import KeyType

TYPES = {
    "visitor": KeyType.AGENT,
    "last_seen": KeyType.POINT,
    "lamp": KeyType.PROP,
    "alarm": KeyType.NUMBER,
    "n": KeyType.NUMBER,
    "raining": KeyType.YES_NO,
    "mood": KeyType.TEXT,
}
KEYS = {name: Key(name=name, type=type_) for name, type_ in TYPES.items()}
NAMES = {
    ParamType.PLACE: ("bench", "the old gate"),
    ParamType.AGENT: ("odo",),
    ParamType.GROUP: ("fish", "gulls"),
    ParamType.ZONE: ("the market",),
    ParamType.STAT: ("energy",),
    ParamType.EVENT: ("bell", "bell.low"),
    ParamType.TEXT: ("Mob the fish", "Alert"),
}

TYPED = {
    "can see visitor within 8 m": "can_see(visitor, within=8)",
    "can see the visitor within 8": "can_see(visitor, within=8)",
    "see visitor": "can_see(visitor)",
    "cannot see visitor within 8m": "not can_see(visitor, within=8)",
    "can not see visitor": "not can_see(visitor)",
    "distance to visitor under 6 m": "distance(visitor) < 6",
    "distance visitor < 6": "distance(visitor) < 6",
    "visitor within 8 m": "distance(visitor) <= 8",
    "distance to the old gate at most 3": "distance('the old gate') <= 3",
    "way to bench is less than 20 m": "way_length('bench') < 20",
    "last_seen is set and older than 15 s": "is_set(last_seen) and time_since(last_seen) > 15",
    "last_seen is not set": "not is_set(last_seen)",
    "alarm above 0.5": "alarm > 0.5",
    "alarm is at least 0.5": "alarm >= 0.5",
    "n > 3 and < 5": "n > 3 and n < 5",
    "not raining": "not raining",
    "is raining": "raining",
    "mood is wary": "mood == 'wary'",
    "mood is not wary": "mood != 'wary'",
    "number of fish within 14 m > 0": "count_of('fish', within=14) > 0",
    "the nearest of gulls is nearer than 3 m": "nearest('gulls') < 3",
    "others in Mob the fish of gulls < 4": "others_in('Mob the fish', group='gulls') < 4",
    "in the market": "in_zone('the market')",
    "in Alert": "in_state('Alert')",
    "time in Alert above 8 s": "time_in('Alert') > 8",
    "visitor is in the market": "is_in_zone(visitor, 'the market')",
    "visitor is not in the market": "not is_in_zone(visitor, 'the market')",
    "energy of visitor below 0.3": "stat_of(visitor, 'energy') < 0.3",
    "own energy < 0.3": "stat('energy') < 0.3",
    "heard a noise within 9 called bark": "heard(what='bark', within=9)",
    "event bell.low": "event('bell.low')",
    "time since event bell < 10 s": "time_since_event('bell') < 10",
    "time > 20": "time() > 20",
    "time since last_seen < 15 s and not can see visitor": (
        "time_since(last_seen) < 15 and not can_see(visitor)"
    ),
    "level of lamp is below 0.3 or (raining and n > 1)": "level(lamp) < 0.3 or raining and n > 1",
    "can see visitor within n": "can_see(visitor, within=n)",
    "can_see(visitor, within=8) and alarm above 0.5": "can_see(visitor, within=8) and alarm > 0.5",
    "carries something": "carries()",
}


@pytest.mark.parametrize("typed", TYPED)
def test_what_is_typed_as_it_is_read_is_stored_in_its_call_form(
    typed: str,
) -> None:
    assert typed_condition(typed, KEYS, BUILTIN, NAMES) == (TYPED[typed], [])


@pytest.mark.parametrize("stored", sorted(set(TYPED.values())))
def test_the_call_form_stays_as_it_is(stored: str) -> None:
    assert typed_condition(stored, KEYS, BUILTIN, NAMES) == (stored, [])


@pytest.mark.parametrize(
    ("typed", "wrong", "near"),
    [
        ("can see visiter", "visiter", "Did you mean 'visitor'?"),
        ("distance to bensh < 3", "bensh", "Did you mean 'bench'?"),
        ("n > 3 and alram above 2", "alram", "Did you mean 'alarm'?"),
        ("can see visitor withn 8", "withn", "Did you mean 'within'?"),
    ],
)
def test_a_wrong_word_is_named_with_the_nearest_that_would_be_right(
    typed: str, wrong: str, near: str
) -> None:
    text, (fault,) = typed_condition(typed, KEYS, BUILTIN, NAMES)
    assert text == typed
    assert typed[slice(*fault.span)] == wrong
    assert f"`{wrong}` is not understood here. {near}" == fault.message


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("distance to", "missing at the end"),
        ("", "empty"),
        ("n >", "missing at the end"),
    ],
)
def test_what_is_not_finished_says_so(typed: str, says: str) -> None:
    _, found = typed_condition(typed, KEYS, BUILTIN, NAMES)
    assert says in found[0].message


def test_a_key_that_is_named_like_a_small_word_is_read_as_the_key() -> None:
    keys = {**KEYS, "to": Key(name="to", type=KeyType.AGENT)}
    assert (
        typed_condition("distance to to < 3", keys, BUILTIN, NAMES)[0]
        == "distance(to) < 3"
    )
    assert (
        typed_condition("distance to < 3", keys, BUILTIN, NAMES)[0]
        == "distance(to) < 3"
    )


def test_a_call_with_a_fault_keeps_its_own_message() -> None:
    _, found = typed_condition("distance(visiter) < 3", KEYS, BUILTIN, NAMES)
    assert "visiter" in found[0].message
    assert "Did you mean 'visitor'" in found[0].remedy


NUMBERS = st.sampled_from(["n", "alarm", "3", "0.5", "-2"])
TERMS = st.sampled_from(
    [
        "distance(visitor)",
        "distance('the old gate')",
        "way_length('bench')",
        "time_since(last_seen)",
        "count_of('fish', within=14)",
        "nearest('gulls')",
        "stat('energy')",
        "stat_of(visitor, 'energy')",
        "level(lamp)",
        "time()",
        "others_in('Mob the fish', group='gulls')",
        "time_since_event('bell')",
    ]
)
QUESTIONS = st.sampled_from(
    [
        "raining",
        "yes",
        "can_see(visitor, within=8)",
        "is_set(last_seen)",
        "heard(what='bark', within=9)",
        "event('bell.low')",
        "in_zone('the market')",
        "is_in_zone(visitor, 'the market')",
        "in_state('Alert')",
        "carries()",
        "mood == 'wary'",
    ]
)
SUMS = st.recursive(
    NUMBERS | TERMS,
    lambda inner: st.tuples(inner, st.sampled_from("+-*/"), inner).map(
        lambda t: f"({t[0]}) {t[1]} ({t[2]})"
    ),
    max_leaves=4,
)
COMPARED = st.tuples(
    SUMS, st.sampled_from(["<", "<=", ">", ">=", "!="]), SUMS
).map(" ".join)
CONDITIONS = st.recursive(
    QUESTIONS | COMPARED,
    lambda inner: (
        inner.map(lambda part: f"not ({part})")
        | st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(
            lambda t: f"({t[0]}) {t[1]} ({t[2]})"
        )
    ),
    max_leaves=5,
)


@settings(max_examples=150, deadline=None)
@given(CONDITIONS)
def test_what_is_written_reads_back_as_the_same_condition(text: str) -> None:
    tree = parse(text)
    read = read_phrase(spoken(tree, BUILTIN), KEYS, BUILTIN, NAMES)
    assert normal(read) == normal(tree), spoken(tree, BUILTIN)
    assert parse(source(read)) == read


def normal(tree: ConditionTree) -> object:
    """A condition with the arguments of its senses by name, however they were
    given.
    """
    match tree:
        case SenseCall(sense=sense):
            kind = BUILTIN.get(sense, Family.SENSE)
            assert kind is not None
            return sense, {
                name: normal(each)
                for name, each in bound_args(tree, kind).items()
            }
        case Negation(part=part):
            return "not", normal(part)
        case Conjunction(parts=parts) | Disjunction(parts=parts):
            return type(tree), [normal(each) for each in parts]
        case (
            Comparison(sign=sign, left=left, right=right)
            | Arithmetic(sign=sign, left=left, right=right)
        ):
            return type(tree), sign, normal(left), normal(right)
    return tree


SOME_WORDS = (
    "and or not is set can see visitor within 8 m the distance to older than n ' in of gulls time "
    "since market ( ) < > = + -"
)
WORDS = st.sampled_from(SOME_WORDS.split())


@settings(max_examples=150, deadline=None)
@given(st.lists(WORDS, max_size=12).map(" ".join) | st.text(max_size=40))
def test_any_text_is_read_or_gives_a_message_under_one_of_its_words(
    text: str,
) -> None:
    stored, found = typed_condition(text, KEYS, BUILTIN, NAMES)
    if found:
        assert stored == text
        start, end = found[0].span
        assert 0 <= start <= end <= max(len(text), 1)
        assert found[0].message
    else:
        assert faults(stored, KEYS, BUILTIN) == []


def test_a_text_that_is_no_condition_raises_under_the_word() -> None:
    with pytest.raises(LanguageError) as raised:
        read_phrase("can see visitor § 8", KEYS, BUILTIN, NAMES)
    assert raised.value.span == (16, 17)


@pytest.mark.parametrize(
    ("typed", "stored"),
    [
        (
            "distance(visitor, 'the old gate') < 3",
            "distance_between(visitor, 'the old gate') < 3",
        ),
        ("distance(visitor, odo) < 3", "distance_between(visitor, 'odo') < 3"),
        ("stat(odo, energy) < 0.5", "stat_of('odo', 'energy') < 0.5"),
        (
            "can_see(odo, within=4) and stat(energy) < 1",
            "can_see('odo', within=4) and stat('energy') < 1",
        ),
    ],
)
def test_a_call_is_stored_as_the_language_has_it(
    typed: str, stored: str
) -> None:
    assert typed_condition(typed, KEYS, BUILTIN, NAMES) == (stored, [])


def test_what_is_wrong_with_a_call_is_told_of_all_that_was_typed() -> None:
    text, found = typed_condition(
        "distance(visitor, odoo) < 3", KEYS, BUILTIN, NAMES
    )
    assert text == "distance(visitor, odoo) < 3"
    assert [(each.message, each.span) for each in found] == [
        ("`odoo` is no key.", (0, len(text)))
    ]


def test_a_known_word_in_the_wrong_place_is_told_with_the_phrase_it_belongs_to() -> (
    None
):
    _, found = typed_condition(
        "can see within 8 visitor", KEYS, BUILTIN, NAMES
    )
    assert (
        found[0].message
        == "`within` cannot stand here. Write: can see … within …."
    )
