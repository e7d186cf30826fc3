"""Expectations: what they say of one take, and of many."""

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.conftest import DEMO
from umbrant.catalog.language.tree import LanguageError
from umbrant.catalog.validation import open_project
from umbrant.expecting.expectation import (
    Broken,
    Expectation,
    ExpectationResult,
    NamedExpectation,
    SeedOutcome,
    Verdict,
    broken_expectations,
    broken_in,
    for_scenario,
    outcome,
    read_expectations,
)
from umbrant.expecting.history import TakeSignals, stretches_of
from umbrant.expecting.share import SURE, takes_to_decide, wilson
from umbrant.model.problems import ProjectError
from umbrant.rolling.roll import RollOrder, header_of, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.take_file import TakeFile


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Take:
    path = tmp_path_factory.mktemp("expected") / "dusk.take"
    return read_take(roll(RollOrder(open_project(DEMO), "dusk", path)))


def expected(text: str) -> Expectation:
    return Expectation.model_validate_json(text)


def broken(take: Take, **fields: object) -> list[tuple[str, int]]:
    found = broken_in(expected(json.dumps({"of": "odo", **fields})), take)
    return [(each.agent, each.tick) for each in found]


def test_always_and_never_are_broken_at_the_first_tick(take: Take) -> None:
    near = np.flatnonzero(
        TakeSignals(take, "odo").holds("distance(visitor) < 4")
    )
    assert broken(take, expect="never", that="distance(visitor) < 4") == [
        ("odo", near[0])
    ]
    assert broken(take, expect="always", that="distance(visitor) >= 4") == [
        ("odo", near[0])
    ]
    assert (
        broken(
            take, expect="always", that="lamp_oil <= 1 or not is_set(lamp_oil)"
        )
        == []
    )
    assert broken(take, expect="never", that="time() > 100") == []


def test_by_is_broken_where_its_time_is_over(take: Take) -> None:
    assert broken(take, expect="by", that="ran(1.1)", by_s=10.3) == []
    assert broken(take, expect="by", that="ran(1.1)", by_s=10.25) == [
        ("odo", 205)
    ]
    assert broken(take, expect="by", that="time() > 900", by_s=900) == [
        ("odo", 839)
    ]


def test_a_take_that_was_cut_short_breaks_nothing_by_what_it_did_not_come_to(
    take: Take,
) -> None:
    cut = replace(take, ended="somebody stopped it")
    for fields in (
        {"expect": "by", "that": "time() > 900", "by_s": 900},
        {"expect": "at least", "that": "ran(1.1)", "times": 4},
    ):
        assert broken(take, **fields)
        assert broken(cut, **fields) == []
    # What it came to, it breaks all the same.
    assert broken(cut, expect="by", that="ran(1.1)", by_s=10.25) == [
        ("odo", 205)
    ]


def test_whenever_waits_for_what_follows(take: Take) -> None:
    fields = {"expect": "whenever", "that": "entered(1.2)"}
    assert broken(take, **fields, then="ran(1.2.2)", within_s=1) == []
    first = take.agents["odo"].row("chk").spans[0].start
    assert broken(take, **fields, then="time() > 900", within_s=1) == [
        ("odo", first)
    ]
    # What the end of the take cuts off is not broken.
    assert broken(take, **fields, then="time() > 900", within_s=100) == []


def test_how_often_something_begins(take: Take) -> None:
    spans = stretches_of(TakeSignals(take, "odo").holds("ran(1.1)"))
    assert len(spans) == 3
    assert broken(take, expect="at least", that="ran(1.1)", times=3) == []
    assert broken(take, expect="at least", that="ran(1.1)", times=4) == [
        ("odo", 839)
    ]
    assert broken(take, expect="at most", that="ran(1.1)", times=3) == []
    assert broken(take, expect="at most", that="ran(1.1)", times=2) == [
        ("odo", spans[2][0])
    ]
    apart = (spans[2][0] - spans[1][0]) / 20
    some = {"expect": "at most", "that": "ran(1.1)", "times": 1}
    assert broken(take, **some, within_s=apart) == [("odo", spans[2][0])]
    assert broken(take, **some, within_s=apart - 0.05) == []


def test_a_group_is_each_of_it(take: Take) -> None:
    found = broken_in(
        expected('{"expect": "never", "that": "ran(1)", "of": "gulls"}'), take
    )
    assert [each.agent for each in found] == [
        f"gull_{number}" for number in range(1, 7)
    ]
    with pytest.raises(LanguageError, match="no group, is 'goats'"):
        broken_in(
            expected('{"expect": "never", "that": "ran(1)", "of": "goats"}'),
            take,
        )
    # Without a name it is the first who decides.
    assert (
        broken_in(expected('{"expect": "never", "that": "ran(1.3)"}'), take)[
            0
        ].agent
        == "odo"
    )


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('{"expect": "by", "that": "ran(1)"}', "needs by_s"),
        (
            '{"expect": "whenever", "that": "ran(1)", "then": "ran(2)"}',
            "needs then and within_s",
        ),
        ('{"expect": "often", "that": "ran(1)"}', "needs between"),
        (
            '{"expect": "often", "that": "ran(1)", "between": [0.5, 0.2]}',
            "lower share comes first",
        ),
        (
            '{"expect": "often", "that": "ran(1)", "between": [0.5, 1.2]}',
            "less than or equal to 1",
        ),
        (
            '{"expect": "sometimes", "that": "ran(1)"}',
            "Input should be 'always'",
        ),
        ('{"expect": "always"}', "Field required"),
        (
            '{"expect": "always", "that": "ran(1)", "colour": 1}',
            "Extra inputs",
        ),
        (
            '{"expect": "by", "that": "ran(1)", "by_s": -1}',
            "greater than or equal to 0",
        ),
    ],
)
def test_what_is_missing_or_wrong_is_named(text: str, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        expected(text)


def test_files_that_cannot_be_read_are_all_named(tmp_path: Path) -> None:
    assert read_expectations(tmp_path) == []
    folder = tmp_path / "expectations"
    folder.mkdir()
    (folder / "a.json").write_text('{"expect": "always", "that": "ran(1)"}')
    assert [each.file for each in read_expectations(tmp_path)] == [
        "expectations/a.json"
    ]
    (folder / "b.json").write_text("{")
    (folder / "c.json").write_bytes(b"\\xff\\xfe")
    (folder / "d.json").write_text(
        '{"expect": "by", "that": "ran(1)", "by_s": "soon"}'
    )
    (folder / "e.json").mkdir()
    with pytest.raises(ProjectError) as raised:
        read_expectations(tmp_path)
    said = str(raised.value)
    assert all(f"expectations/{name}.json" in said for name in "bcde")
    assert "by_s" in said
    assert "a.json" not in said


def test_the_demos_expectations_are_in_words() -> None:
    found = read_expectations(DEMO)
    assert len(found) >= 12
    sentences = {
        each.file.split("/")[1]: each.expectation.sentence for each in found
    }
    assert (
        sentences["thirst-is-quenched.json"]
        == "tam: never stat(thirst) > 0.98"
    )
    assert (
        sentences["he-forgets.json"]
        == "Odo looks for a lost visitor at most four times"
    )
    said = [
        expected(
            '{"expect":"whenever","that":"a","then":"b","within_s":2}'
        ).sentence,
        expected(
            '{"expect":"at most","that":"a","times":3,"within_s":2}'
        ).sentence,
        expected('{"expect":"often","that":"a","between":[0.2,0.4]}').sentence,
    ]
    assert said == [
        "whenever a, within 2 s b",
        "a begins at most 3 times in any 2 s",
        "between 20 and 40 % of takes have a",
    ]
    assert len(for_scenario(found, "dusk", "dusk")) == len(found)
    assert for_scenario(found, "evening", "dusk") == []


def test_the_demo_breaks_one_expectation_with_one_seed(
    tmp_path: Path, take: Take
) -> None:
    project, found = open_project(DEMO), read_expectations(DEMO)
    assert not any(outcome(each, take).broken for each in found)
    other = read_take(
        roll(RollOrder(project, "dusk", tmp_path / "b.take", seed=16))
    )
    outcomes = {each.file: outcome(each, other).broken for each in found}
    broken_files = [file for file, each in outcomes.items() if each]
    assert broken_files == ["expectations/he-forgets.json"]
    assert outcomes["expectations/he-forgets.json"][0].tick == 793


# shares


@given(st.integers(1, 5000), st.data())
def test_the_interval_is_wilsons(of: int, data: st.DataObject) -> None:
    """Its ends are the shares from which what was seen is just so many
    deviations away.
    """
    happened = data.draw(st.integers(0, of))
    low, high = wilson(happened, of)
    seen = happened / of
    assert 0 <= low <= seen <= high <= 1
    for end in (low, high):
        if 0 < end < 1:
            deviation = math.sqrt(end * (1 - end) / of)
            assert abs(seen - end) == pytest.approx(
                SURE * deviation, rel=1e-6, abs=1e-9
            )


def test_known_intervals() -> None:
    assert wilson(0, 0) == (0.0, 1.0)
    assert wilson(10, 10) == (pytest.approx(0.7225, abs=1e-4), 1.0)
    assert wilson(5, 10) == (
        pytest.approx(0.2366, abs=1e-4),
        pytest.approx(0.7634, abs=1e-4),
    )


def result(
    happened: int, of: int, between: tuple[float, float]
) -> ExpectationResult:
    text = json.dumps(
        {"expect": "often", "that": "ran(1)", "between": between}
    )
    outcomes = tuple(
        SeedOutcome(seed, (), seed < happened) for seed in range(of)
    )
    return ExpectationResult(
        NamedExpectation("x.json", expected(text)), outcomes
    )


def test_a_share_holds_is_broken_or_stays_undecided() -> None:
    assert result(30, 100, (0.2, 0.4)).verdict is Verdict.HOLDS
    assert result(30, 100, (0.5, 0.9)).verdict is Verdict.BROKEN
    assert result(3, 10, (0.2, 0.4)).verdict is Verdict.UNDECIDED
    needed = takes_to_decide(3, 10, (0.2, 0.4), 100_000)
    assert needed is not None
    assert (
        result(round(needed * 0.3), needed, (0.2, 0.4)).verdict
        is Verdict.HOLDS
    )
    assert takes_to_decide(2, 10, (0.2, 0.4), 100_000) is None


def test_one_seed_that_breaks_it_is_enough() -> None:
    named = NamedExpectation(
        "x.json", expected('{"expect": "always", "that": "ran(1)"}')
    )
    fine = SeedOutcome(1, (), False)
    bad = SeedOutcome(2, (Broken("odo", 7, "not ran(1)"),), False)
    assert ExpectationResult(named, (fine, fine)).verdict is Verdict.HOLDS
    both = ExpectationResult(named, (fine, bad))
    assert both.verdict is Verdict.BROKEN
    assert list(both.broken) == [(2, Broken("odo", 7, "not ran(1)"))]


def test_a_take_in_which_nothing_was_played_breaks_nothing(
    tmp_path: Path,
) -> None:
    path = tmp_path / "stopped.take"
    quay = open_project(DEMO)
    TakeFile(path, header_of(quay, quay.scenario("dusk"))).close(
        "stopped by the author"
    )
    take = read_take(path)
    assert (take.ticks, take.poses) == (0, {})
    assert broken_expectations(read_expectations(DEMO), take) == []
    odo = TakeSignals(take, "odo")
    for text in (
        "distance(visitor) < 4",
        "within(count(ran(1.1)) > 1, 2)",
        "before(ran(1.2))",
    ):
        assert odo.holds(text).shape == (0,)
    with pytest.raises(
        LanguageError, match="nobody and nothing is called 'visitoor'"
    ):
        odo.holds("distance(visitoor) < 4")
