"""The nearest change: each that is told of is played again here, and so is one
step less of it.
"""

import re
from pathlib import Path

import pytest

from tests.conftest import DEMO
from tests.review.random_projects import RandomProject
from tests.small import project, row
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Event,
    EventList,
    Key,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.folder import read_project
from umbrant.model.staging import (
    Cue,
    Member,
    Prop,
    RaiseEvent,
    SetKey,
    WalkPoint,
)
from umbrant.model.values import KeyRef, KeyType
from umbrant.nearest.candidates import ChangeCandidates
from umbrant.nearest.places import MovedUp, TakeOverWatch, Unmuted
from umbrant.nearest.search import NearestChange, NearestSearch
from umbrant.nearest.trials import ran, trial_player
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.compare import different
from umbrant.take.reader import Take, read_take

NEAR = Key(name="near", type=KeyType.NUMBER, default=2.0)
MOOD = Key(name="mood", type=KeyType.NUMBER, default=1.0, low=0, high=5)
LIT = Key(name="lit", type=KeyType.YES_NO)


def take_of(made: Project, folder: Path, seconds: float | None = None) -> Take:
    order = RollOrder(
        made, made.cover.scenario, folder / "t.take", seconds=seconds
    )
    return read_take(roll(order))


def nearest(
    take: Take, row_id: str, tick: int, agent: str = "a"
) -> list[NearestChange]:
    explainer = Explainer(take, agent)
    with trial_player(take.header, agent, tick, trusted=False) as player:
        return list(NearestSearch(explainer, tick, row_id, player).found())


def again(made: Project, before: Take, folder: Path) -> Take:
    """The whole scenario of a take, played with another project."""
    header = before.header
    order = RollOrder(
        made, header.scenario, folder / "again.take", header.seed
    )
    return read_take(roll(order))


def check(
    take: Take, found: NearestChange, row_id: str, tick: int, folder: Path
) -> None:
    """Play what was told: with the change the row runs, from when on it says,
    and with one step less of a number it does not.
    """
    made, row_before = (
        take.header.project,
        take.agents["a"].row(row_id).last_span(tick),
    )
    played = again(found.put(made), take, folder)
    record = played.agents["a"].row(row_id)
    span = record.span_at(tick)
    assert span is not None
    assert ran(record, tick), found.says
    if found.went_on:
        assert row_before is not None
        assert (row_before.start, row_before.end) == (
            span.start,
            found.runs_from,
        )
    elif found.succeeds:
        assert row_before is not None
        assert (row_before.outcome, row_before.end) == ("failure", tick)
        assert (span.outcome, span.end) == ("success", found.runs_from)
    else:
        assert span.start == found.runs_from, found.says
    before = {
        each
        for row, ranges in different(take, played, "a").items()
        for one in ranges
        for each in range(one.start, one.end + 1)
        if each < found.runs_from
    }
    stretches = [each for each in before if each - 1 not in before]
    assert len(stretches) == found.others, found.says
    for number in found.numbers:
        less = number.less(found.put(made) if len(found.numbers) > 1 else made)
        if less is not None:
            record = again(less, take, folder).agents["a"]
            assert not ran(record.row(row_id), tick), found.says


@pytest.mark.parametrize("seed", range(8))
def test_what_is_told_about_random_projects_holds(
    seed: int, tmp_path: Path
) -> None:
    made = RandomProject(seed).made
    if any(
        each.kind == "last"
        for behavior in made.behaviors
        for each in behavior.rows
    ):
        rows = [
            each.model_copy(update={"kind": "wait", "args": {"duration": 0.3}})
            if each.kind == "last"
            else each
            for each in made.behaviors[0].rows
        ]
        first = made.behaviors[0].with_rows(rows)
        made = made.model_copy(
            update={"behaviors": (first, *made.behaviors[1:])}
        )
    take = take_of(made, tmp_path)
    explainer = Explainer(take, "a")
    tick = take.last_tick // 2
    still = [
        each
        for each in explainer.outline.number
        if not ran(explainer.record.row(each), tick)
    ]
    questions = [
        each
        for each in still
        if ChangeCandidates(explainer, tick, each).found()
    ]
    for row_id in questions[:2]:
        for found in nearest(take, row_id, tick)[:2]:
            check(take, found, row_id, tick, tmp_path)


def guarded(
    *, watch: Watch = Watch.ON_ENTRY, when: str = "near < 1.5"
) -> Project:
    return project(
        row("top", "selector"),
        row("first", "wait", "top", guard=(when, watch), duration=0.4),
        row("rest", "wait", "top", duration=0.4),
        keys=(NEAR, MOOD, LIT),
    )


def test_a_number_in_a_guard_and_a_keys_value_are_both_found(
    tmp_path: Path,
) -> None:
    take = take_of(guarded(), tmp_path)
    found = nearest(take, "first", 10)
    found.sort(key=lambda each: each.distance)
    assert [each.short for each in found] == [
        "1.5 → 2.1 in 1.1’s guard",
        "2 → 1.4 for near at 1.00 s",
    ]
    for each in found:
        check(take, each, "first", 10, tmp_path)
    assert found[1].actions == (SetKey(sets="near", of="a", value=1.4),)
    assert found[0].actions == ()
    assert found[0].says == (
        "1.5 → 2.1 in 1.1’s guard: first runs from 1.00 s; a does otherwise in one other stretch."
    )


def test_what_is_set_is_set_where_it_was_decided(tmp_path: Path) -> None:
    """A guard that is asked on entry, and a utility that decides seldom."""
    take = take_of(guarded(), tmp_path)
    refused = take.agents["a"].row("first").last_refusal(12)
    assert refused is not None
    assert refused.end == 10
    set_then = next(
        each for each in nearest(take, "first", 12) if each.actions
    )
    assert set_then.short == "2 → 1.4 for near at 1.00 s"
    assert set_then.done_at == 10
    check(take, set_then, "first", 12, tmp_path)

    seldom = project(
        row("uu", "utility", every=1.0),
        row("oa", "option", "uu", guard="lit"),
        row("wa", "wait", "oa", duration=5.0),
        row("ob", "option", "uu"),
        row("cb", "consider", "ob", input="near", low=0, high=4),
        row("wb", "wait", "ob", duration=5.0),
        row("oc", "option", "uu"),
        row("cc", "consider", "oc", input="mood", low=0, high=4),
        row("wc", "wait", "oc", duration=5.0),
        keys=(NEAR, MOOD, LIT),
    )
    take = take_of(seldom, tmp_path)
    for row_id, key in (("oa", "lit"), ("oc", "mood")):
        found = nearest(take, row_id, 15)
        (one,) = [each for each in found if key in each.short]
        assert one.done_at == 10
        check(take, one, row_id, 15, tmp_path)


def test_a_key_that_is_yes_or_no_is_turned_round_and_an_event_raised(
    tmp_path: Path,
) -> None:
    take = take_of(guarded(when="lit", watch=Watch.THROUGHOUT), tmp_path)
    found = nearest(take, "first", 12)
    assert "lit of a = yes at 1.20 s" in [each.short for each in found]
    events = EventList(events=(Event(name="bell", help="it rings"),))
    made = project(
        row("mm", "machine"),
        row("calm", "state", "mm"),
        row("ring", "on_event", "calm", event="bell", to="up"),
        row("sit", "wait", "calm", duration=9.0),
        row("up", "state", "mm"),
    ).model_copy(update={"event_list": events})
    take = take_of(made, tmp_path)
    (found_event,) = nearest(take, "up", 7)
    assert found_event.actions == (RaiseEvent(raises="bell", to="a"),)
    check(take, found_event, "up", 7, tmp_path)


def test_the_order_a_watch_and_a_mute_are_tried(tmp_path: Path) -> None:
    late = project(
        row("top", "selector"),
        row("busy", "wait", "top", duration=9.0),
        row("never", "wait", "top", duration=0.4),
    )
    take = take_of(late, tmp_path)
    first = nearest(take, "never", 3)[0]
    assert isinstance(first.arranged[0].place, MovedUp)
    assert first.short == "1.2 tried before 1.1"
    check(take, first, "never", 3, tmp_path)

    watched = project(
        row("top", "selector"),
        row(
            "first", "wait", "top", guard=("lit", Watch.ON_ENTRY), duration=9.0
        ),
        row("rest", "wait", "top", duration=9.0),
        keys=(LIT,),
        cues=(Cue(at_s=0.5, does=SetKey(sets="lit", of="a", value=True)),),
    )
    take = take_of(watched, tmp_path)
    found = nearest(take, "first", 10)
    assert any(
        isinstance(each.place, TakeOverWatch)
        for one in found
        for each in one.arranged
    )
    for each in found:
        check(take, each, "first", 10, tmp_path)

    muted = project(
        row("top", "selector"),
        row("first", "wait", "top", duration=9.0, muted=True),
        row("rest", "wait", "top", duration=9.0),
    )
    take = take_of(muted, tmp_path)
    found = nearest(take, "first", 10)
    assert isinstance(found[0].arranged[0].place, Unmuted)
    check(take, found[0], "first", 10, tmp_path)


def test_a_cooldown_a_time_and_a_cue_are_found(tmp_path: Path) -> None:
    cooling = project(
        row("top", "selector"),
        row(
            "hit",
            "wait",
            "top",
            duration=0.2,
            decorators=[("cooldown", {"duration": 1.0})],
        ),
        row("rest", "wait", "top", duration=0.1),
    )
    take = take_of(cooling, tmp_path)
    found = nearest(take, "hit", 7)
    assert any("cooldown" in each.short for each in found)
    for each in found:
        check(take, each, "hit", 7, tmp_path)

    machine = project(
        row("mm", "machine"),
        row("calm", "state", "mm"),
        row("later", "after", "calm", time=1.4, to="up"),
        row("up", "state", "mm"),
    )
    take = take_of(machine, tmp_path)
    found = nearest(take, "up", 10)
    assert found[0].numbers[0].was == 1.4
    check(take, found[0], "up", 10, tmp_path)


LIMIT = Key(name="limit", type=KeyType.NUMBER, default=1.0)


def using(**binds: object) -> Project:
    """A behavior that uses another one, whose row runs while `near` is below
    the other's limit.
    """
    inner = Behavior(
        name="inner",
        title="Inner",
        blackboard="limits",
        rows=(
            row("pick", "selector"),
            row("go", "wait", "pick", guard="near < limit", duration=0.4),
            row("rest", "wait", "pick", duration=0.4),
        ),
    )
    board = Blackboard(name="limits", title="Limits", keys=(NEAR, LIMIT))
    return project(
        row("top", "sequence"),
        row("use1", "use_behavior", "top", behavior="inner", binds=binds),
        keys=(NEAR, MOOD),
        behaviors=(inner,),
        blackboards=(board,),
    )


@pytest.mark.parametrize(
    ("binds", "says"),
    [
        ({"limit": 1.0}, "1 → 2.1 in 1.1’s limit"),
        ({"limit": KeyRef(key="mood")}, "1 → 2.1 for mood at 1.00 s"),
        ({}, "1 → 2.1 for limit at the start"),
    ],
)
def test_a_key_of_a_used_behavior_is_changed_where_it_comes_from(
    tmp_path: Path, binds: dict[str, object], says: str
) -> None:
    take = take_of(using(near=KeyRef(key="near"), **binds), tmp_path)
    found = nearest(take, "use1/go", 10)
    (wanted,) = [each for each in found if each.short == says]
    check(take, wanted, "use1/go", 10, tmp_path)


DRINKS = (
    row("top", "selector"),
    row("sq", "sequence", "top", name="Tea break"),
    row("drink", "use_up", "sq", target="kettle", amount=0.25, reach=5.0),
    row("sip", "wait", "sq", duration=5.0),
    row("rest", "wait", "top", duration=0.2),
)


def little_tea(at: tuple[float, float] = (3.0, 5.0)) -> Prop:
    return Prop(name="kettle", group="things", at=at, level=0.1)


@pytest.mark.parametrize(
    ("row_id", "says"),
    [
        ("drink", "Drink succeeds at 1.00 s"),
        ("sip", "sip runs from 0.00 s"),
        ("sq", "Tea break runs from 0.00 s"),
    ],
)
def test_what_a_row_within_failed_by_is_changed(
    row_id: str, says: str, tmp_path: Path
) -> None:
    made = project(*DRINKS, props=(little_tea(),), seconds=1.5)
    take = take_of(made, tmp_path)
    failed = take.agents["a"].row("drink").spans
    ticks = [each.end for each in failed if each.outcome == "failure"]
    tick = ticks[-1] or 0
    if row_id != "drink":
        found = nearest(take, row_id, tick)
        assert "0.25 → 0.1 in 1.1.1’s amount" in [each.short for each in found]
        assert any(says in each.says for each in found), found
    else:
        # At the first tick, for once it has drunk it does so no more.
        found = nearest(take, row_id, 0)
        (first,) = [each for each in found if each.succeeds]
        assert first.says.startswith(
            "0.25 → 0.1 in 1.1.1’s amount: drink succeeds at 0.00 s"
        )
        tick = 0
    for each in found:
        check(take, each, row_id, tick, tmp_path)


def test_a_reach_that_was_too_short_is_guessed_from_how_far_it_was(
    tmp_path: Path,
) -> None:
    far = little_tea((12.0, 5.0)).model_copy(update={"level": 1.0})
    made = project(*DRINKS, props=(far,), seconds=1.0)
    take = take_of(made, tmp_path)
    found = nearest(take, "sip", 0)
    assert "5 m → 10 m in 1.1.1’s reach" in [each.short for each in found]
    for each in found:
        check(take, each, "sip", 0, tmp_path)


def test_the_guard_of_an_earlier_step_is_what_holds_back_a_later_one(
    tmp_path: Path,
) -> None:
    made = project(
        row("top", "selector"),
        row("sq", "sequence", "top"),
        row("one", "wait", "sq", duration=0.1, guard="near < 1.5"),
        row("two", "wait", "sq", duration=5.0),
        row("rest", "wait", "top", duration=0.2),
        keys=(NEAR,),
        seconds=1.0,
    )
    take = take_of(made, tmp_path)
    tick = 3
    assert take.agents["a"].row("one").refusal_at(tick) is not None
    found = nearest(take, "two", tick)
    assert "1.5 → 2.1 in 1.1.1’s guard" in [each.short for each in found]
    for each in found:
        check(take, each, "two", tick, tmp_path)


def test_two_changes_together_where_none_helps_alone(tmp_path: Path) -> None:
    take = take_of(guarded(when="near < 1.5 and mood > 3"), tmp_path)
    (found,) = nearest(take, "first", 10)
    assert len(found.numbers) == 2
    assert " and " in found.short
    check(take, found, "first", 10, tmp_path)


def test_where_nothing_helps_nothing_is_told(tmp_path: Path) -> None:
    take = take_of(guarded(when="is_set(near) and not is_set(near)"), tmp_path)
    assert nearest(take, "first", 12) == []
    running = take_of(guarded(), tmp_path)
    assert nearest(running, "rest", 1) == []


def test_sight_is_widened_where_it_is_in_the_way(tmp_path: Path) -> None:
    walker = Member(
        name="walker",
        start=(18.0, 5.0),
        walk=(WalkPoint(at_s=2, to=(17.0, 5.0)),),
    )
    made = project(
        row("top", "selector"),
        row(
            "chase",
            "wait",
            "top",
            guard=("can_see(v)", Watch.ON_ENTRY),
            duration=0.3,
        ),
        row("rest", "wait", "top", duration=0.3),
        keys=(Key(name="v", type=KeyType.AGENT, default="walker"),),
        cast=(walker,),
    )
    take = take_of(made, tmp_path)
    found = nearest(take, "chase", 9)
    assert "sight" in found[0].short
    check(take, found[0], "chase", 9, tmp_path)


def test_the_demos_own_case(tmp_path: Path) -> None:
    order = RollOrder(
        read_project(DEMO), "dusk", tmp_path / "d.take", seconds=10
    )
    take = read_take(roll(order))
    found = nearest(take, "esc", 183, "odo")
    assert found[0].short == "8 m → 11 m in 1.1’s guard"
    assert found[0].seconds == 9.15


def test_what_is_counted_is_changed_by_integers(tmp_path: Path) -> None:
    """Nobody repeats half a time, and no half a child fails."""
    made = project(
        row("top", "selector", name="Day"),
        row("both", "parallel", "top", name="Both", failures=1.0),
        row("long", "wait", "both", name="Long", duration=5.0),
        row("ask", "check", "both", name="Ask", when="near > 9"),
        row("rest", "wait", "top", name="Rest", duration=9.0),
        keys=(NEAR,),
        seconds=1.0,
    )
    take, tick = take_of(made, tmp_path), 5
    found = nearest(take, "both", tick)
    said = [each.short for each in found]
    assert "1 → all in 1.1’s failures" in said
    for each in found:
        check(take, each, "both", tick, tmp_path)
        for number in each.numbers:
            if number.title.endswith("failures"):
                assert number.value == round(number.value)


@pytest.mark.parametrize(
    ("decorator", "says"),
    [
        (("chance", {"share": 0.01}), r"^0\.01 → 0\.\d+ in 1\.1’s chance$"),
        (("at_most", {"times": 1}), "^once → 2 times in 1.1’s at most$"),
    ],
)
def test_a_decorator_that_refused_is_guessed_from_what_it_said(
    decorator: tuple[str, dict[str, float]], says: str, tmp_path: Path
) -> None:
    made = project(
        row("top", "selector"),
        row("one", "wait", "top", duration=0.2, decorators=[decorator]),
        row("rest", "wait", "top", duration=0.2),
        seconds=0.6,
    )
    take = take_of(made, tmp_path)
    tick = min(each.start for each in take.agents["a"].row("one").refusals[""])
    found = nearest(take, "one", tick)
    (refused,) = [each for each in found if re.search(says, each.short)]
    check(take, refused, "one", tick, tmp_path)
