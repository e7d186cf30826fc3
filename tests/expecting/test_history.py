"""Conditions over a take, held against what a take says tick by tick."""

from contextlib import suppress
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.review.random_projects import RandomProject
from tests.small import played
from umbrant.catalog.language.tree import LanguageError
from umbrant.catalog.validation import open_project
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.expecting.questions import ASKS
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.record import Outcome, RowRecord, RowState


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Take:
    path = tmp_path_factory.mktemp("history") / "dusk.take"
    return read_take(roll(RollOrder(open_project(DEMO), "dusk", path)))


@pytest.fixture(scope="module")
def odo(take: Take) -> TakeSignals:
    return TakeSignals(take, "odo")


def ran_at(take: Take, record: RowRecord) -> set[int]:
    """The ticks at which a row was at work, or ended by itself."""
    return {
        tick
        for tick in range(take.ticks)
        for span in record.spans
        if span.covers(tick)
        and not (tick == span.end and span.outcome is Outcome.STOPPED)
    }


def ticks_of(history: TakeSignals, text: str) -> set[int]:
    return set(np.flatnonzero(history.holds(text)).tolist())


def test_a_row_is_told_by_its_number_its_name_and_its_id(
    odo: TakeSignals, take: Take
) -> None:
    record = take.agents["odo"].row("esc")
    expected = ran_at(take, record)
    assert expected
    # Where it was stopped something else ran.
    assert ticks_of(odo, "stopped(1.1)")
    assert not ticks_of(odo, "stopped(1.1)") & ticks_of(odo, "ran(1.1)")
    assert ticks_of(odo, "ran(1.1) and ran(1.2)") == set()
    for text in (
        "ran(1.1)",
        'ran("1.1")',
        'ran("Escort the visitor")',
        'ran("esc")',
        "ran(esc)",
    ):
        assert ticks_of(odo, text) == expected
    assert ticks_of(odo, "ran(1)") == set(range(take.ticks))


def test_what_became_of_rows(odo: TakeSignals, take: Take) -> None:
    for row_id, record in take.agents["odo"].rows.items():
        states = [record.state_at(tick) for tick in range(take.ticks)]
        starts = {span.start for span in record.spans}
        assert ticks_of(odo, f'entered("{row_id}")') == starts
        for sense, outcome in (
            ("succeeded", "success"),
            ("failed", "failure"),
        ):
            ends = {
                each.end for each in record.spans if each.outcome == outcome
            }
            assert ticks_of(odo, f'{sense}("{row_id}")') == ends
        refused = {
            tick
            for tick, each in enumerate(states)
            if each is RowState.REFUSED
        }
        assert refused <= ticks_of(odo, f'refused("{row_id}")')


def test_keys_distances_and_times(odo: TakeSignals, take: Take) -> None:
    poses = take.poses
    apart = np.hypot(
        *(poses["odo"][:, :2] - poses["visitor"][:, :2]).astype(float).T
    )
    assert ticks_of(odo, "distance(visitor) < 6") == set(
        np.flatnonzero(apart < 6).tolist()
    )
    assert ticks_of(odo, "distance_between(odo, visitor) < 6") == ticks_of(
        odo, "distance(visitor) < 6"
    )
    keys = take.agents["odo"].keys
    oil = [keys["lamp_oil"].at(tick) for tick in range(take.ticks)]
    known = [
        tick
        for tick, each in enumerate(oil)
        if each is not None and each.value is not None
    ]
    below = {tick for tick in known if oil[tick].value < 0.8}  # type: ignore[union-attr,operator]
    assert ticks_of(odo, "lamp_oil < 0.8") == below
    assert ticks_of(odo, "not lamp_oil < 0.8") == set(known) - below
    seen = {
        t
        for t in range(take.ticks)
        if keys["visitor_seen"].at(t).value is True
    }  # type: ignore[union-attr]
    assert ticks_of(odo, "visitor_seen") == seen
    assert ticks_of(odo, "time() >= 41") == set(range(820, 840))
    assert ticks_of(odo, "is_set(last_seen)") <= set(range(take.ticks))
    assert ticks_of(odo, "changed(visitor_seen)") == {
        tick
        for tick in range(1, take.ticks)
        if (tick in seen) != (tick - 1 in seen)
    }


def test_what_is_unknown_holds_nowhere(odo: TakeSignals, take: Take) -> None:
    """A key that is not set is neither more nor less than anything."""
    unset = set(range(take.ticks)) - ticks_of(odo, "is_set(last_seen)")
    assert unset
    near, far = (
        ticks_of(odo, f"distance(last_seen) {sign} 5") for sign in ("<", ">=")
    )
    assert not unset & (near | far)
    # But what is unknown on one side of an `or` does not take away the other.
    assert ticks_of(odo, "distance(last_seen) < 5 or time() >= 0") == set(
        range(take.ticks)
    )
    assert ticks_of(odo, "distance(last_seen) < 5 and time() < 0") == set()


@pytest.mark.parametrize("seconds", [0, 0.5, 2.5, 1000])
def test_what_was_and_how_often(
    odo: TakeSignals, take: Take, seconds: float
) -> None:
    """Against a plain walk over the ticks, for what is always known and for
    what is not.
    """
    rate = take.header.ticks_per_s
    for text in (
        "ran(1.1)",
        "entered(1.2)",
        "distance(last_seen) < 5",
        "time() < 3",
    ):
        held = ticks_of(odo, text)
        assert held
        unset = "last_seen" in text
        known = (
            ticks_of(odo, "is_set(last_seen)")
            if unset
            else set(range(take.ticks))
        )
        lately, not_lately, since = set[int](), set[int](), set[int]()
        count, counts = 0, list[int]()
        for tick in range(take.ticks):
            back = range(max(0, tick - round(seconds * rate)), tick + 1)
            if held.intersection(back):
                lately.add(tick)
            if min(held) <= tick:
                since.add(tick)
            count += tick in held and tick - 1 not in held
            counts.append(count)
            if not held.intersection(back) and known.issuperset(back):
                not_lately.add(tick)
        assert ticks_of(odo, f"within({text}, {seconds})") == lately
        assert ticks_of(odo, f"not within({text}, {seconds})") == not_lately
        assert odo.numbers(f"count({text})").tolist() == counts
        assert ticks_of(odo, f"after({text})") == since
        # Where it is not known from the first tick on, nobody can say that it
        # has not held.
        not_yet = {
            tick
            for tick in range(take.ticks)
            if known.issuperset(range(tick + 1))
        } - since
        assert ticks_of(odo, f"before({text})") == not_yet


def test_of_how_many_it_holds(take: Take) -> None:
    odo, gulls = (
        TakeSignals(take, "odo"),
        [f"gull_{number}" for number in range(1, 7)],
    )
    each = [
        ticks_of(TakeSignals(take, name), "distance(odo) < 8")
        for name in gulls
    ]
    assert any(each)
    for name in ("gulls", "gull"):
        for wanted in range(7):
            expected = {
                t
                for t in range(take.ticks)
                if sum(t in one for one in each) >= wanted
            }
            assert (
                ticks_of(
                    odo, f"how_many({name}, distance(odo) < 8) >= {wanted}"
                )
                == expected
            )
    # Of those who have no such row it does not hold.
    ran = ticks_of(odo, 'ran("Escort the visitor")')
    assert (
        ticks_of(odo, 'how_many(watch, ran("Escort the visitor")) == 1') == ran
    )


def test_a_refusal_is_found_by_its_reason(take: Take) -> None:
    found = 0
    for agent, record in take.agents.items():
        history = TakeSignals(take, agent)
        for row_id, kept in record.rows.items():
            for reason, kind in (
                ("cooling", "cooling"),
                ("its guard said no", "guard"),
            ):
                expected = {
                    tick
                    for refusals in kept.refusals.values()
                    for each in refusals
                    if each.cause.kind == kind
                    for tick in range(each.start, each.end + 1)
                }
                found += bool(expected)
                assert (
                    ticks_of(history, f'refused("{row_id}", "{reason}")')
                    == expected
                )
    assert found > 10


def test_bodies_props_events_and_speech(take: Take) -> None:
    tam, brine = TakeSignals(take, "tam"), TakeSignals(take, "brine")
    thirst = take.body_numbers["tam"]["thirst"].astype(float)
    assert ticks_of(tam, "stat(thirst) > 0.5") == set(
        np.flatnonzero(thirst > 0.5).tolist()
    )
    assert ticks_of(brine, "stat_of(thirst, tam) > 0.5") == ticks_of(
        tam, "stat(thirst) > 0.5"
    )
    level = take.levels["lamp_gate"].astype(float)
    assert ticks_of(brine, "level(lamp_gate) < 0.9") == set(
        np.flatnonzero(level < 0.9).tolist()
    )
    woofs = {
        each.tick for each in take.agents["brine"].said if "Woof" in each.text
    }
    assert woofs
    assert ticks_of(brine, 'said("woof")') == woofs
    heard = {each.tick for each in brine.record.received}
    names = {each.event for each in brine.record.received}
    assert (
        set().union(
            *(ticks_of(brine, f'received("{name}")') for name in names)
        )
        == heard
    )
    for name in names:
        assert ticks_of(brine, f'received("{name}")') <= ticks_of(
            brine, f'raised("{name}")'
        )


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (
            "visitor_sean",
            "has no key 'visitor_sean'. Did you mean 'visitor_seen'?",
        ),
        ("ran(9.9)", "has no row '9.9'"),
        ('ran("Escort the visito")', "Did you mean 'Escort the visitor'?"),
        ("can_see(visitor)", "a take cannot be asked 'can_see'"),
        (
            "distance(visitoor) < 3",
            "nobody and nothing is called 'visitoor'. Did you mean 'visitor'",
        ),
        ("lamp_oil", "this says how much, not whether"),
        ("visitor < 3", "only numbers can be compared so"),
        ("lamp == 3", "of different kinds"),
        ("not lamp_oil", "this is not yes or no"),
        ("visitor + 1 > 2", "this is no number"),
        ("ran(1.1, 2)", "write it so: `ran(1.2)`"),
        ("within(ran(1.1))", "write it so: `within(raised(alarm), 2)`"),
        ("within(ran(1.1), lamp_oil)", "write a number of seconds here"),
        ("within(ran(1.1), -1)", "write a number of seconds here"),
        ("count(lamp_oil) > 1", "this is not yes or no"),
        ("count(ran(1.1))", "this says how much, not whether"),
        ("how_many(gulls, ran(9)) > 1", "gull_1 has no row '9'"),
        ("how_many(gull, ran(9)) > 1", "gull_1 has no row '9'"),
        (
            "how_many(guls, ran(1)) > 1",
            "no group and no behavior is called 'guls'. Did you mean 'gulls'?",
        ),
        ("ran(row=1.1)", "write it so: `ran(1.2)`"),
        ("stat(hunger) > 1", "odo has no number 'hunger'"),
        ("level(nothing) > 1", "there is no prop 'nothing'"),
        ("ran(1 + 1)", "write a name here"),
        ("is_set(1)", "write a key here"),
        ("lamp_oil >", ""),
        ("", "a condition is empty"),
    ],
)
def test_what_cannot_be_asked_says_why(
    odo: TakeSignals, text: str, says: str
) -> None:
    with pytest.raises(LanguageError) as raised:
        odo.holds(text)
    assert says in str(raised.value)


def test_a_puppet_has_no_rows(take: Take) -> None:
    history = TakeSignals(take, "visitor")
    assert len(ticks_of(history, "distance(odo) < 100")) == take.ticks
    with pytest.raises(LanguageError, match="is a puppet"):
        history.holds("ran(1.1)")
    with pytest.raises(KeyError):
        TakeSignals(take, "nobody")


@settings(max_examples=40)
@given(st.text(max_size=40))
def test_any_text_is_understood_or_refused(
    odo: TakeSignals, text: str
) -> None:
    with suppress(LanguageError):
        found = odo.holds(text)
        assert found.dtype == np.bool_
        assert found.shape == (odo.ticks,)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6))
def test_rows_of_random_projects(seed: int) -> None:
    take = played(RandomProject(seed).made)
    history = TakeSignals(take, "a")
    for row_id, record in take.agents["a"].rows.items():
        assert ticks_of(history, f'ran("{row_id}")') == ran_at(take, record)


@given(st.lists(st.booleans(), max_size=60))
def test_stretches_are_what_holds(holds: list[bool]) -> None:
    found = stretches_of(np.asarray(holds, np.bool_))
    ticks = {tick for start, end in found for tick in range(start, end + 1)}
    assert ticks == {tick for tick, each in enumerate(holds) if each}
    assert all(one[1] + 1 < other[0] for one, other in pairwise(found))


def test_each_question_says_how_it_is_written() -> None:
    for name, ask in ASKS.items():
        assert ask.phrase.startswith(f"{name}(")
        assert ask.help
