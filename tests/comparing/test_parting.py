"""Where two takes part, held against what an export of each says."""

import json
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from tests.small import played, project, row
from umbrant.branching.branch import with_cues
from umbrant.comparing.comparison import compared, ranges_apart
from umbrant.comparing.parting import DifferenceKind, first_difference
from umbrant.comparing.words import parting_answer, parting_row
from umbrant.model.behaviors import Key
from umbrant.model.documents import Project
from umbrant.model.folder import document_texts, parse_project, read_project
from umbrant.model.staging import (
    Body,
    Cue,
    Prop,
    RaiseEvent,
    SetKey,
    Stat,
)
from umbrant.model.values import KeyType
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import Take, read_take

NUMBERS_ONLY = ("sensed", "gauge", "progress", "way")
"""Lines of an export that say what was found and measured, not what happened.
"""


def happened(take: Take) -> dict[int, Counter[str]]:
    """What happened at each tick, from the lines of an export. The steps of a
    tick are left out, for they count what was found as well.
    """
    found: dict[int, Counter[str]] = {}
    for text in export_text(take, ExportFormat.JSONL).splitlines():
        line = json.loads(text)
        if line["what"] in NUMBERS_ONLY:
            continue
        del line["seconds"]
        line.pop("step", None)
        end, cause = line.pop("end", None), line.pop("cause", None)
        if cause is not None and line["what"] in ("refused", "notice"):
            line["cause"] = next(iter(json.loads(cause).values()))
        tick = line.pop("tick")
        outcome = line.pop("value", None) if line["what"] == "ran" else None
        found.setdefault(tick, Counter())[json.dumps(line)] += 1
        if end is not None:
            over = end + 1 if line["what"] == "refused" else end
            found.setdefault(over, Counter())[
                f"ends {outcome} {json.dumps(line)}"
            ] += 1
    return found


def first_apart(one: Take, other: Take) -> int | None:
    """The first tick at which two takes do not say the same; None if there is
    none.
    """
    here, there = happened(one), happened(other)
    ticks = range(min(one.ticks, other.ticks))
    return next(
        (tick for tick in ticks if here.get(tick) != there.get(tick)), None
    )


def with_seed(made: Project, seed: int) -> Project:
    scenario = made.scenarios[0].model_copy(update={"seed": seed})
    return made.model_copy(update={"scenarios": (scenario,)})


def with_number(made: Project, old: str, new: str) -> Project:
    texts = {
        name: text.replace(old, new)
        for name, text in document_texts(made).items()
    }
    return parse_project(texts)


# In this project a key with a formula is read earlier within a tick, with the
# same value.
@example(771782)
@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6))
def test_a_take_is_equal_to_itself_and_parts_from_others_where_the_export_does(
    seed: int,
) -> None:
    made = RandomProject(seed).made
    take = played(made)
    assert compared(take, played(made)).is_equal
    for other in (
        with_seed(made, 77),
        with_number(made, "< 2", "< 3"),
        with_number(made, ">", "<"),
    ):
        against = played(other)
        first = first_difference(take, against)
        assert (first.tick if first else None) == first_apart(take, against)
        back = first_difference(against, take)
        assert (first is None) == (back is None)
        if first is not None and back is not None:
            assert (back.tick, back.agent) == (first.tick, first.agent)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10**6))
def test_ranges_apart_are_the_ticks_at_which_a_row_was_in_another_state(
    seed: int,
) -> None:
    made = RandomProject(seed).made
    one, other = played(made), played(with_number(made, "<", ">="))
    here, there = one.agents["a"], other.agents["a"]
    rows = {*here.rows, *there.rows}
    expected = {
        tick
        for tick in range(one.ticks)
        if any(
            here.row(each).state_at(tick) != there.row(each).state_at(tick)
            for each in rows
        )
    }
    found = [
        tick
        for each in ranges_apart(one, other, "a")
        for tick in range(each.start, each.end + 1)
    ]
    assert found == sorted(expected)
    against = compared(one, other).by_agent.get("a")
    assert (against.ticks_apart if against else 0) == len(expected)


@pytest.fixture(scope="module")
def demo_pair(tmp_path_factory: pytest.TempPathFactory) -> tuple[Take, Take]:
    """The demo at dusk, and the same with 11 m for 8 in the warden's first
    guard.
    """
    folder = tmp_path_factory.mktemp("pair")
    made = read_project(DEMO)
    texts = document_texts(made)
    texts["behaviors/warden.json"] = texts["behaviors/warden.json"].replace(
        "within=8", "within=11"
    )
    found = []
    for name, each in (("one", made), ("other", parse_project(texts))):
        order = RollOrder(each, "dusk", folder / f"{name}.take", seconds=20)
        found.append(read_take(roll(order)))
    return found[0], found[1]


def test_the_demo_parts_at_the_guard_that_lets_the_warden_in(
    demo_pair: tuple[Take, Take],
) -> None:
    found = compared(*demo_pair)
    assert found.first is not None
    assert (found.first.tick, found.first.agent) == (183, "odo")
    explainer = Explainer(demo_pair[0], "odo")
    row_id = parting_row(found)
    assert explainer.outline.number[row_id] == "1.1"
    answer = parting_answer(found, "Take 1", "Take 2")
    assert answer.headline is not None
    assert (
        answer.headline.text
        == "They part at 9.15 s (tick 183), at Odo’s Escort the visitor."
    )
    text = answer.text
    assert (
        "Take 1: Escort the visitor: its guard finds: can see visitor within 8 m is no"
        in text
    )
    assert (
        "Take 2: Escort the visitor: its guard finds: can see visitor within 11 m is yes"
        in text
    )
    # What it says of both sides is what each take's own steps of that tick
    # say.
    for take, name in zip(demo_pair, ("Take 1", "Take 2"), strict=True):
        steps = Explainer(take, "odo").ticks.steps(183)
        said = [
            f"{name}: {each.line.text}"
            for each in steps
            if each.row_id == row_id
        ]
        assert said
        assert all(each in text for each in said)
    apart = found.by_agent["odo"]
    assert (
        f"does otherwise at {apart.ticks_apart} of 400 ticks, from 9.15 s on"
        in text
    )


def test_who_stands_elsewhere_is_found_without_a_row(
    demo_pair: tuple[Take, Take],
) -> None:
    made = demo_pair[0].header.project
    scenario = made.scenario("dusk")
    moved = scenario.cast[0].model_copy(update={"facing_deg": 12.0})
    other = made.model_copy(
        update={
            "scenarios": tuple(
                each.model_copy(update={"cast": (moved, *each.cast[1:])})
                if each.name == "dusk"
                else each
                for each in made.scenarios
            )
        }
    )
    path = demo_pair[0].path.with_name("turned.take")
    take = read_take(roll(RollOrder(other, "dusk", path, seconds=1)))
    found = compared(demo_pair[0], take)
    assert found.first is not None
    assert (found.first.tick, found.first.kind) == (0, DifferenceKind.BODY)
    assert (
        "it stands elsewhere, or looks another way"
        in parting_answer(found, "A", "B").text
    )


def test_rows_and_cast_of_one_take_only_are_said(tmp_path: Path) -> None:
    small = project(
        row("top", "selector"), row("idle", "wait", "top", duration=9.0)
    )
    more = project(
        row("top", "selector"),
        row("hum", "wait", "top", duration=9.0),
        row("idle", "wait", "top", duration=9.0),
    )
    one, other = played(small), played(more)
    answer = parting_answer(compared(one, other), "Before", "After", CATALOG)
    assert answer.headline is not None
    assert "a row that only After has" in answer.headline.text
    assert "Before: it has no such row." in answer.text
    scenario = small.scenarios[0]
    second = scenario.cast[0].model_copy(update={"name": "b"})
    both = scenario.model_copy(update={"cast": (*scenario.cast, second)})
    found = compared(
        one, played(small.model_copy(update={"scenarios": (both,)}))
    )
    assert found.first is not None
    assert (found.first.kind, found.first.agent) == (DifferenceKind.CAST, "b")
    assert (
        "b: plays in one of them only." in parting_answer(found, "A", "B").text
    )


def test_the_outcome_of_two_arrangements_of_a_tree_can_be_equal() -> None:
    flat = project(
        row("top", "selector"), row("idle", "wait", "top", duration=9.0)
    )
    nested = project(
        row("top", "selector"),
        row("inner", "sequence", "top"),
        row("idle", "wait", "inner", duration=9.0),
    )
    one, other = played(flat), played(nested)
    assert not compared(one, other).is_equal
    assert compared(one, other, only_outcome=True).is_equal


def test_a_take_that_goes_on_where_the_other_ends_differs_there(
    demo_pair: tuple[Take, Take],
) -> None:
    path = demo_pair[0].path.with_name("short.take")
    order = RollOrder(demo_pair[0].header.project, "dusk", path, seconds=2)
    found = first_difference(demo_pair[0], read_take(roll(order)))
    assert found is not None
    assert (found.tick, found.kind) == (40, DifferenceKind.LENGTH)


IDLE = (row("idle", "wait", duration=99.0),)
CALLS = (
    row("sq", "sequence"),
    row("hold", "wait", "sq", duration=0.2),
    row("call", "raise_event", "sq", event="bell"),
)
CALLS_LATER = (
    *CALLS[:2],
    row("call", "raise_event", "sq", event="bell", delay=0.5),
)
ENERGY = Key(name="warmth", type=KeyType.NUMBER, default=3.0)


@pytest.mark.parametrize(
    ("one", "other", "texts"),
    [
        (
            project(*IDLE, props=(Prop(name="pot", group="p", at=(3, 4)),)),
            project(*IDLE, props=(Prop(name="pot", group="p", at=(3, 5)),)),
            (
                "pot is not the same",
                "A: pot is at (3.00, 4.00).",
                "B: pot is at (3.00, 5.00).",
            ),
        ),
        (
            project(*IDLE, props=(Prop(name="pot", group="p", at=(3, 4)),)),
            project(
                *IDLE,
                props=(Prop(name="pot", group="p", at=(3, 4), level=0.5),),
            ),
            ("pot is not the same", "A: pot holds 1.", "B: pot holds 0.5."),
        ),
        (
            project(*IDLE),
            project(*IDLE, start=(2.5, 5)),
            (
                "a: it stands elsewhere",
                "A: a is at (2.00, 5.00), and looks to 0°.",
                "B: a is at (2.50, 5.00), and looks to 0°.",
            ),
        ),
        (
            project(*IDLE, body=Body(stats={"zest": Stat(value=0.75)})),
            project(*IDLE, body=Body(stats={"zest": Stat(value=0.25)})),
            (
                "its number zest is another one",
                "A: zest is 0.75.",
                "B: zest is 0.25.",
            ),
        ),
        (
            project(*IDLE, keys=(ENERGY,)),
            project(*IDLE, keys=(ENERGY,), start_keys={"warmth": 4.0}),
            (
                "warmth is not set to the same",
                "A: warmth becomes 3.",
                "B: warmth becomes 4.",
                "a: decides the same; from 0.00 s on warmth is not",
            ),
        ),
        (
            project(*CALLS),
            project(*CALLS_LATER),
            (
                "They part at 0.30 s (tick 3): a: bell comes in one of them only then.",
                "A: bell is received.",
                "B: bell does not come at this tick.",
                "a: decides the same; at 0.30 s bell comes in one of them only",
            ),
        ),
        (
            project(*IDLE),
            project(*IDLE, seconds=1.0),
            (
                "one of them ends",
                "A: it ends after 2.00 s.",
                "B: it ends after 1.00 s.",
            ),
        ),
    ],
)
def test_what_is_about_no_row_is_said_of_each(
    one: Project, other: Project, texts: tuple[str, ...]
) -> None:
    answer = parting_answer(
        compared(played(one), played(other)), "A", "B", CATALOG
    )
    for each in texts:
        assert each in answer.text, answer.text


def test_equal_takes_are_called_so_and_nothing_more() -> None:
    take = played(project(*IDLE))
    assert parting_answer(compared(take, take), "A", "B").text == (
        "They are equal: the same happened in both."
    )


BELL = Cue(at_s=0.5, does=RaiseEvent(raises="bell"))


@pytest.mark.parametrize(
    ("more", "texts"),
    [
        (
            Cue(at_s=0.5, does=SetKey(sets="warmth", value=9.0, of="a")),
            (
                "a: warmth is not set to the same.",
                "At 0.50 s, in B only: a cue sets warmth",
                "A: warmth is not written.",
                "B: warmth becomes 9.",
            ),
        ),
        (
            BELL,
            (
                "a: bell comes more often, or in another order, in one of them",
                "At 0.50 s: a cue raises bell, more often, or in another order",
                "A: bell is received.",
                "B: bell is received.",
            ),
        ),
    ],
)
def test_what_both_have_at_a_tick_is_not_said_to_be_missing(
    more: Cue, texts: tuple[str, ...]
) -> None:
    """Though something else comes before it in one of them."""
    one, other = (
        played(project(*IDLE, keys=(ENERGY,), cues=cues))
        for cues in ((BELL,), (BELL, more))
    )
    answer = parting_answer(compared(one, other), "A", "B", CATALOG)
    for each in texts:
        assert each in answer.text, answer.text


@given(seed=st.integers(0, 10**6), tick=st.integers(0, 19))
@settings(max_examples=30, deadline=None)
def test_what_is_said_to_differ_is_not_in_both(seed: int, tick: int) -> None:
    """Held against what happened at the tick, from the exports."""
    made = RandomProject(seed).made
    name = made.scenarios[0].name
    branched = with_cues(made, name, tick, [RaiseEvent(raises="bell")])
    one, other = played(made), played(branched)
    found = first_difference(one, other)
    if found is None:
        return
    here, there = happened(one), happened(other)
    assert here.get(found.tick) != there.get(found.tick)
    if (found.one is None) == (found.other is None):
        return
    lacks = here if found.one is None else there
    has = there if found.one is None else here
    assert has.get(found.tick, Counter()) - lacks.get(found.tick, Counter())
