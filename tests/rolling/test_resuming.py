"""A take that goes on from where it first differs is the take from the first
tick.
"""

import re
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import small
from tests.conftest import DEMO
from tests.kinds import CATALOG
from tests.review.random_projects import RandomProject
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import cause
from umbrant.catalog.kind import Catalog, Family
from umbrant.catalog.references import conditions_by_part
from umbrant.catalog.validation import open_project, validate
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Key,
    Override,
    Row,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.edits import (
    add_decorator,
    change_row,
    declare_key,
    delete_rows,
    rename_row,
    set_guard,
    set_muted,
    set_value,
)
from umbrant.model.expanded import expand_behavior
from umbrant.model.parts import GUARD, Slot
from umbrant.model.staging import (
    Cue,
    HeldResult,
    HoldResult,
    Member,
    MoveTo,
    RaiseEvent,
    Scenario,
    WalkPoint,
)
from umbrant.model.values import KeyType
from umbrant.rolling.resuming import (
    AgentRow,
    RecordedAnswer,
    behavior_change,
    change_of,
)
from umbrant.rolling.roll import (
    Play,
    RollOrder,
    chunk_ticks,
    header_of,
    played,
    roll,
)
from umbrant.take.compare import different
from umbrant.take.reader import Take, read_take
from umbrant.take.stored.documents import WrittenNumbers
from umbrant.take.writer import TakeWriter

QUAY = open_project(DEMO)
EVERY = 60


class RecordedTake:
    """What a take that was read says of its rows, as what goes on from it
    asks.
    """

    def __init__(self, take: Take) -> None:
        self.take = take
        self.heard = heard_in(take)

    def answers(
        self, agent: str, row_id: str, part: str
    ) -> Iterator[RecordedAnswer]:
        written = WrittenNumbers(self.take.header).of_condition(
            agent, row_id, part
        )
        for tick, _, atom, found in (
            self.take.agents[agent].row(row_id).atom_steps.get(part, [])
        ):
            if found is not None:
                here = written[atom]
                left = found.left if here.left is None else None
                right = found.right if here.right is None else None
                yield RecordedAnswer(tick, atom, found.truth, left, right)


def heard_in(take: Take) -> dict[AgentRow, int]:
    """At which tick each row was first heard of."""
    found = {}
    for agent, record in take.agents.items():
        for row_id, row in record.rows.items():
            ticks = [
                *(span.start for span in row.spans),
                *(
                    each.start
                    for refusals in row.refusals.values()
                    for each in refusals
                ),
                *(
                    step[0]
                    for steps in row.atom_steps.values()
                    for step in steps
                ),
                *(
                    step[0]
                    for steps in row.times_done.values()
                    for step in steps
                ),
                *(
                    tick
                    for gauge in row.gauges.values()
                    for tick in gauge.ticks
                ),
            ]
            if ticks:
                found[agent, row_id] = min(ticks)
    return found


@pytest.fixture(scope="module")
def recorded(tmp_path_factory: pytest.TempPathFactory) -> RecordedTake:
    return RecordedTake(
        read_take(
            roll(order_of(QUAY, tmp_path_factory.mktemp("first") / "a.take"))
        )
    )


def order_of(
    project: Project, path: Path, seconds: float | None = None
) -> RollOrder:
    return RollOrder(project, "dusk", path, seconds=seconds)


def resumed(
    before: RollOrder, after: RollOrder, recorded: RecordedTake
) -> int:
    """Play an order from the tick on at which it can first differ from
    another; returns that tick. Fails where it must be played from its first
    one.
    """
    change = change_of(before, after)
    assert change is not None
    tick = change.first_tick(recorded) // EVERY * EVERY
    assert goes_on(before, after, tick, BUILTIN)
    return tick


def goes_on(
    before: RollOrder, after: RollOrder, tick: int, catalog: Catalog
) -> bool:
    """Play an order to a tick, and then go on with another one. Returns
    whether that could be.
    """
    change = change_of(before, after)
    assert change is not None
    scenario, last = played(before), played(after)
    flush_s = chunk_ticks(scenario) / scenario.ticks_per_s
    with TakeWriter(
        after.path, header_of(after.project, last), flush_s
    ) as writer:
        play = Play(before.project, scenario, writer, catalog)
        for at in range(tick):
            play.tick(at)
        if not play.take_up(after.project, last, change.behaviors):
            return False
        for at in range(tick, last.tick_count):
            play.tick(at)
    return True


def assert_same(one: Path, other: Path) -> None:
    """Every table has the same rows in the same order."""
    assert tables(one) == tables(other)


def tables(path: Path) -> dict[str, list[object]]:
    with sqlite3.connect(path) as file:
        names = [
            name
            for (name,) in file.execute(
                "SELECT name FROM sqlite_master ORDER BY name"
            )
        ]
        return {
            name: file.execute(
                f"SELECT * FROM {name} ORDER BY rowid"  # noqa: S608
            ).fetchall()
            for name in names
            if not name.startswith("sqlite_") and name != "meta"
        } | {"meta": sorted(file.execute("SELECT * FROM meta").fetchall())}


def numbers(project: Project) -> Iterator[tuple[str, str, str, float]]:
    """The numbers that leaves are given."""
    for behavior in project.behaviors:
        around = {row.under for row in behavior.rows}
        for row in behavior.rows:
            for name, value in row.args.items():
                if isinstance(value, float | int) and not isinstance(
                    value, bool
                ):
                    kind = BUILTIN.get(row.kind, Family.ACTION)
                    if row.id not in around and kind is not None:
                        yield behavior.name, row.id, name, float(value)


NUMBERS = sorted(numbers(QUAY))


def with_number(
    project: Project, place: tuple[str, str, str, float], value: float
) -> Project:
    behavior, row, name, _ = place
    return change_row(
        project,
        behavior,
        row,
        lambda found: found.model_copy(
            update={"args": {**found.args, name: value}}
        ),
    )


Change = Callable[[float], Project]
"""A project that differs from the demo in one thing: in a number, by a share
of it.
"""


def number_changes(project: Project) -> Iterator[Change]:
    """A change for each number of a row, and of a condition."""
    for behavior in project.behaviors:
        for row in behavior.rows:
            for name, value in row.args.items():
                if isinstance(value, int | float) and not isinstance(
                    value, bool
                ):
                    place = behavior.name, row.id, name, float(value)
                    yield partial(with_share, project, place)
            for part, when in conditions_by_part(row, CATALOG).items():
                for found in re.finditer(r"(?<![\w.])\d+(?:\.\d+)?", when):
                    yield partial(
                        with_condition,
                        project,
                        behavior.name,
                        row,
                        part,
                        found,
                    )


def with_share(
    project: Project, place: tuple[str, str, str, float], share: float
) -> Project:
    return with_number(project, place, round(place[-1] * share, 2))


def with_condition(
    project: Project,
    behavior: str,
    row: Row,
    part: str,
    number: re.Match[str],
    share: float,
) -> Project:
    text = number.string
    when = f"{text[: number.start()]}{float(number[0]) * share:.2f}{text[number.end() :]}"
    if part == GUARD:
        return set_guard(project, behavior, row.id, when)
    param = next(name for name, value in row.args.items() if value == text)
    return set_value(project, behavior, Slot(row.id, part, param), when)


def other_changes(project: Project) -> Iterator[Change]:
    """Changes for each row: it is gone, has another guard or a decorator, is
    muted.
    """
    for name, row in (
        (each.name, row) for each in project.behaviors for row in each.rows
    ):
        yield lambda _, name=name, row=row: delete_rows(
            project, name, [row.id]
        )
        yield lambda _, name=name, row=row: set_guard(
            project, name, row.id, "time() > 9"
        )
        yield lambda _, name=name, row=row: add_decorator(
            project, name, row.id, "cooldown"
        )
        yield lambda _, name=name, row=row: set_muted(
            project, name, [row.id], muted=True
        )


@settings(max_examples=8)
@given(
    change=st.one_of(
        st.sampled_from(list(number_changes(QUAY))),
        st.sampled_from(list(other_changes(QUAY))),
    ),
    share=st.floats(0.4, 1.9),
)
def test_a_resumed_take_is_the_take_from_the_first_tick(
    tmp_path_factory: pytest.TempPathFactory,
    recorded: RecordedTake,
    change: Change,
    share: float,
) -> None:
    folder = tmp_path_factory.mktemp("resumed")
    changed, before = change(share), order_of(QUAY, folder / "none.take")
    order = order_of(changed, folder / "resumed.take")
    differs = change_of(before, order)
    # What is played from its first tick needs no second look.
    if (
        validate(changed, BUILTIN)
        or differs is None
        or differs.first_tick(recorded) < EVERY
    ):
        return
    resumed(before, order, recorded)
    assert_same(order.path, roll(order_of(changed, folder / "first.take")))


@pytest.mark.parametrize("seed", range(8))
def test_a_resumed_take_of_a_random_project_is_the_take_from_the_first_tick(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, seed: int
) -> None:
    """It goes on at the very last tick before which nothing can differ."""
    monkeypatch.setattr("umbrant.rolling.resuming.BUILTIN", CATALOG)
    monkeypatch.setattr("umbrant.take.stored.documents.BUILTIN", CATALOG)
    project, random = RandomProject(seed).made, Random(seed)  # noqa: S311

    def ordered(what: Project, name: str) -> RollOrder:
        return RollOrder(what, what.cover.scenario, tmp_path / name)

    before = ordered(project, "before.take")
    recorded = RecordedTake(read_take(roll(before, catalog=CATALOG)))
    changes, gone_on = [*number_changes(project), *other_changes(project)], 0
    for number, change in enumerate(
        random.sample(changes, min(12, len(changes)))
    ):
        after = ordered(change(random.choice((0.5, 1.5))), f"{number}.take")
        differs = change_of(before, after)
        tick = differs.first_tick(recorded) if differs is not None else 0
        if tick and goes_on(
            before, after, min(tick, recorded.take.ticks), CATALOG
        ):
            gone_on += 1
            first = roll(
                ordered(after.project, f"{number}-first.take"), catalog=CATALOG
            )
            assert_same(after.path, first)
    assert gone_on > 0


@pytest.mark.parametrize("seed", [None, *range(6)])
def test_which_documents_are_the_very_same_changes_nothing(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, seed: int | None
) -> None:
    """Those that are need not be compared: what comes of it is what comes of
    equal ones.
    """
    monkeypatch.setattr("umbrant.rolling.resuming.BUILTIN", CATALOG)
    project = QUAY
    if seed is not None:
        project = RandomProject(seed).made
    before, found = order_of(project, tmp_path), 0
    before = replace(before, scenario=project.cover.scenario)
    for change in [*number_changes(project), *other_changes(project)][:40]:
        after = replace(before, project=change(1.5))
        copied = replace(after, project=after.project.model_copy(deep=True))
        one, other = change_of(before, after), change_of(before, copied)
        assert (one is None) == (other is None)
        if one is not None and other is not None:
            found += bool(one.behaviors)
            assert one.from_tick == other.from_tick
            assert one.behaviors.keys() == other.behaviors.keys()
            for name, ours in one.behaviors.items():
                theirs = other.behaviors[name]
                assert ours.rebuilt == theirs.rebuilt
                assert ours.within == theirs.within
                assert ours.renumbered == theirs.renumbered
    assert found


def test_what_is_made_of_a_behavior_changes_with_it(tmp_path: Path) -> None:
    """Through a variant, and through one that uses that."""

    def made(duration: float) -> Project:
        def behavior(name: str, *rows: Row, **more: Any) -> Behavior:
            return Behavior(
                name=name, title=name, blackboard="k", rows=rows, **more
            )

        start = Row(
            id="start", under="top", kind="wait", args={"duration": 1.0}
        )
        top = Row(id="top", kind="sequence")
        return QUAY.model_copy(
            update={
                "blackboards": (*QUAY.blackboards, keys),
                "behaviors": (
                    behavior(
                        "base",
                        Row(
                            id="rest", kind="wait", args={"duration": duration}
                        ),
                    ),
                    behavior("other", variant_of="base"),
                    behavior(
                        "uses",
                        top,
                        start,
                        Row(
                            id="use",
                            under="top",
                            kind="use_behavior",
                            args={"behavior": "other"},
                        ),
                    ),
                ),
                "scenarios": (scenario,),
            }
        )

    keys = Blackboard(name="k", title="K")
    scenario = Scenario(
        name="dusk",
        title="Dusk",
        stage=QUAY.scenario("dusk").stage,
        cast=(Member(name="a", behavior="uses", start=(1, 1)),),
    )
    one = made(1.0)
    (base,) = [each for each in made(2.0).behaviors if each.name == "base"]
    other = one.model_copy(update={"behaviors": (base, *one.behaviors[1:])})
    change = change_of(order_of(one, tmp_path), order_of(other, tmp_path))
    assert change is not None
    assert change.behaviors["a"].rebuilt == ("use/rest",)
    gone = one.model_copy(update={"behaviors": one.behaviors[1:]})
    change = change_of(order_of(one, tmp_path), order_of(gone, tmp_path))
    assert change is None or change.behaviors["a"].rebuilt


def test_what_a_variant_uses_instead_changes_it(tmp_path: Path) -> None:
    """Its own rows are those of its original; what it puts in their place is
    read as well.
    """

    def used(duration: float) -> Behavior:
        rest = Row(id="rest", kind="wait", args={"duration": duration})
        return Behavior(name="far", title="F", blackboard="k", rows=(rest,))

    def made(far: Behavior | None) -> Project:
        behaviors = (original, variant, *([far] if far is not None else []))
        return QUAY.model_copy(
            update={
                "blackboards": (*QUAY.blackboards, keys),
                "behaviors": behaviors,
                "scenarios": (scenario,),
            }
        )

    keys = Blackboard(name="k", title="K")
    wait = {"kind": "wait", "under": "top", "args": {"duration": 1.0}}
    original = Behavior(
        name="plain",
        title="P",
        blackboard="k",
        rows=(
            Row(id="top", kind="sequence"),
            Row(id="start", **wait),
            Row(id="end", **wait),
        ),
    )
    other_end = Row(id="use", kind="use_behavior", args={"behavior": "far"})
    variant = Behavior(
        name="odd",
        title="O",
        blackboard="k",
        variant_of="plain",
        overrides=(Override(row="end", instead=(other_end,)),),
    )
    scenario = Scenario(
        name="dusk",
        title="Dusk",
        stage=QUAY.scenario("dusk").stage,
        cast=(Member(name="a", behavior="odd", start=(1, 1)),),
    )
    one = order_of(made(used(1.0)), tmp_path)
    for far in (used(2.0), None):
        change = change_of(one, order_of(made(far), tmp_path))
        assert change is None or change.behaviors["a"].rebuilt
    change = change_of(one, order_of(made(used(2.0)), tmp_path))
    assert change is not None
    assert change.behaviors["a"].rebuilt == ("use/rest",)


def test_much_of_the_demo_need_not_be_played_again(
    tmp_path: Path, recorded: RecordedTake
) -> None:
    """Each leaf that is reached late is found to be so."""
    before = order_of(QUAY, tmp_path / "none.take")
    ticks = []
    for place in NUMBERS:
        change = change_of(
            before,
            order_of(with_number(QUAY, place, place[-1] + 0.1), before.path),
        )
        assert change is not None
        ticks.append(change.first_tick(recorded))
    assert len(ticks) > 20
    assert sum(tick >= EVERY for tick in ticks) > len(ticks) / 2


@pytest.mark.parametrize("within", [6, 9, 11])
def test_a_number_of_a_guard_is_resumed_where_it_first_gives_another_answer(
    tmp_path: Path, recorded: RecordedTake, within: float
) -> None:
    """The guard is asked from the first tick on."""
    guarded = set_guard(
        QUAY, "warden", "esc", f"can_see(visitor, within={within})"
    )
    order = order_of(guarded, tmp_path / "resumed.take")
    change = change_of(order_of(QUAY, tmp_path), order)
    assert change is not None
    tick = change.first_tick(recorded)
    resumed(order_of(QUAY, tmp_path), order, recorded)
    first = roll(order_of(guarded, tmp_path / "first.take"))
    assert_same(order.path, first)
    before, after = recorded.take, read_take(first)
    differ = [
        each.start
        for agent in before.agents
        for found in different(before, after, agent).values()
        for each in found
    ]
    assert min(differ) == tick


def changed_rows(
    before: Sequence[Row], after: Sequence[Row]
) -> tuple[str, ...]:
    """The rows of a behavior that are made anew where it becomes another one."""
    one, other = (
        expand_behavior(small.project(*rows), "b") for rows in (before, after)
    )
    change = behavior_change(one, other)
    assert change is not None
    return change.rebuilt


@pytest.mark.parametrize(
    ("was", "now", "rebuilt"),
    [
        ({}, {"seconds": 3.0}, "bb"),
        ({}, {"decorators": [("cooldown", {"duration": 2.0})]}, "bb"),
        ({}, {"guard": "clock() > 1"}, "bb"),
        ({"guard": "no"}, {"guard": ("no", Watch.WHILE_RUNNING)}, "bb"),
        # What the row around it goes by before it visits the row.
        ({"guard": "no"}, {"guard": ("no", Watch.TAKE_OVER)}, "aa"),
        ({}, {"decorators": [("weight", {"weight": 2.0})]}, "aa"),
        (
            {"decorators": [("weight", {"weight": 2.0})]},
            {"decorators": [("weight", {"weight": 3.0})]},
            "aa",
        ),
        ({}, {"muted": True}, "aa"),
    ],
)
def test_a_row_is_made_anew_with_what_goes_by_it(
    was: dict[str, Any], now: dict[str, Any], rebuilt: str
) -> None:
    before, after = (
        [
            small.row("aa", "random_selector"),
            small.row("bb", "wait", "aa", **more),
            small.row("cc", "wait", "aa"),
        ]
        for more in (was, now)
    )
    assert changed_rows(before, after) == (rebuilt,)


def test_what_is_in_a_row_that_is_made_anew_is_made_with_it() -> None:
    before = [
        small.row("aa", "sequence"),
        small.row("bb", "sequence", "aa"),
        small.row("cc", "wait", "bb"),
    ]
    after = [
        *before[:2],
        before[2].model_copy(update={"muted": True}),
        small.row("dd", "wait", "bb"),
    ]
    assert changed_rows(before, after) == ("bb",)
    machine = [
        small.row("aa", "machine"),
        small.row("ss", "state", "aa"),
        small.row("cc", "wait", "ss"),
    ]
    timed = [*machine, small.row("tt", "after", "ss", time=1.0, to="ss")]
    assert changed_rows(machine, timed) == ("aa",)
    assert changed_rows(
        timed, [*timed[:3], small.row("tt", "after", "ss", time=2.0, to="ss")]
    ) == ("aa",)


def test_a_row_whose_result_a_cue_holds_is_not_made_anew(
    tmp_path: Path,
) -> None:
    """It remembers that, though nothing is heard of it."""
    dusk = QUAY.scenario("dusk")
    hold = Cue(
        at_s=1.0,
        does=HoldResult(holds="woof", of="brine", result=HeldResult.REFUSED),
    )
    held = QUAY.with_scenario(
        dusk.model_copy(update={"cues": (*dusk.cues, hold)})
    )
    late = ("dog", "woof", "duration", 0.6)
    for project, is_resumed in ((QUAY, True), (held, False)):
        change = change_of(
            order_of(project, tmp_path),
            order_of(with_number(project, late, 0.9), tmp_path),
        )
        assert (change is not None) is is_resumed


def test_what_is_refused_as_it_is_made_is_made_before_the_first_tick(
    tmp_path: Path,
) -> None:
    """A transition to nowhere is refused from the first tick on, long before
    it is reached.
    """
    rows = [
        small.row("rr", "sequence"),
        small.row("ww", "wait", "rr", duration=1.0),
        small.row("mm", "machine", "rr"),
        small.row("ss", "state", "mm"),
        small.row("tt", "after", "ss", time=0.5, to="ss"),
    ]
    lost = [*rows[:4], small.row("tt", "after", "ss", time=0.5, to="nowhere")]
    before, after = (
        RollOrder(small.project(*each), "s", tmp_path / f"{number}.take")
        for number, each in enumerate((rows, lost))
    )
    assert not goes_on(before, after, 5, BUILTIN)


def test_what_may_be_asked_for_by_its_name_is_played_from_the_first_tick(
    tmp_path: Path,
) -> None:
    for changed in (
        rename_row(QUAY, "dog", "woof", "Howl"),
        declare_key(QUAY, "dog", Key(name="fleas", type=KeyType.NUMBER)),
        delete_rows(QUAY, "warden", [QUAY.behavior("warden").outline.tops[0]]),
    ):
        assert (
            change_of(order_of(QUAY, tmp_path), order_of(changed, tmp_path))
            is None
        )


def test_a_take_has_no_number_of_its_conditions(
    tmp_path: Path, recorded: RecordedTake
) -> None:
    """Before anything comes of it, the take of another number is the same but
    for its documents.
    """
    other = set_guard(QUAY, "warden", "esc", "can_see(visitor, within=7.75)")
    one, two = (
        tables(roll(order_of(each, tmp_path / f"{name}.take", seconds=8.0)))
        for name, each in (("one", QUAY), ("two", other))
    )
    assert [name for name in one if one[name] != two[name]] == ["meta"]
    found = recorded.take.agents["odo"].row("esc").found_at(GUARD, 0, 100)
    assert found is not None
    assert found.cause == cause("too_far", distance_m=found.left, range_m=8.0)


def test_a_cue_is_resumed_before_its_time(
    tmp_path: Path, recorded: RecordedTake
) -> None:
    dusk = QUAY.scenario("dusk")
    added = Cue(at_s=30.0, does=RaiseEvent(raises="thunder"))
    for cues in ((*dusk.cues, added), (added, *dusk.cues), dusk.cues[:-1]):
        scenario = dusk.model_copy(update={"cues": cues})
        others = tuple(
            scenario if each is dusk else each for each in QUAY.scenarios
        )
        changed = QUAY.model_copy(update={"scenarios": others})
        order = order_of(changed, tmp_path / "resumed.take")
        change = change_of(order_of(QUAY, tmp_path), order)
        if change is None:
            assert any(cue.when for cue in {*dusk.cues} ^ {*cues})
            continue
        tick = resumed(order_of(QUAY, tmp_path), order, recorded)
        assert tick <= 600
        assert_same(
            order.path, roll(order_of(changed, tmp_path / "first.take"))
        )


def with_walk(project: Project, name: str, *points: WalkPoint) -> Project:
    dusk = project.scenario("dusk")
    cast = tuple(
        each.model_copy(update={"walk": points}) if each.name == name else each
        for each in dusk.cast
    )
    return project.with_scenario(dusk.model_copy(update={"cast": cast}))


VISITOR = QUAY.scenario("dusk").member("visitor")


@pytest.mark.parametrize("place", [2, 5, len(VISITOR.walk) - 1])
@pytest.mark.parametrize("what", ["elsewhere", "later", "gone", "one more"])
def test_a_walk_is_resumed_where_its_first_other_stretch_begins(
    tmp_path: Path, recorded: RecordedTake, place: int, what: str
) -> None:
    walk = list(VISITOR.walk)
    point = walk[place]
    x, y = point.to
    nearby = point.model_copy(update={"to": (x + 0.4, y)})
    walk[place : place + 1] = {
        "elsewhere": [nearby],
        "later": [point.model_copy(update={"at_s": point.at_s + 0.3})],
        "gone": [],
        "one more": [
            point,
            nearby.model_copy(update={"at_s": point.at_s + 0.2}),
        ],
    }[what]
    changed = with_walk(QUAY, "visitor", *walk)
    order = order_of(changed, tmp_path / "resumed.take", 30.0)
    before = order_of(QUAY, tmp_path, 30.0)
    since = VISITOR.walk[place if what == "one more" else place - 1].at_s
    change = change_of(before, order)
    assert change is not None
    tick = change.first_tick(recorded)
    # A moment early, for ticks are added up in floating point.
    assert min(600, int(since * 20)) - 1 <= tick <= min(600, int(since * 20))
    assert goes_on(before, order, tick, BUILTIN)
    assert_same(
        order.path, roll(order_of(changed, tmp_path / "first.take", 30.0))
    )


def test_a_walk_that_cannot_be_walked_or_is_cut_by_a_cue_is_played_from_the_first_tick(
    tmp_path: Path,
) -> None:
    before = order_of(QUAY, tmp_path / "none.take")
    last = VISITOR.walk[-1].model_copy(update={"to": (500.0, 500.0)})
    nowhere = order_of(
        with_walk(QUAY, "visitor", *VISITOR.walk[:-1], last),
        tmp_path / "a.take",
    )
    assert not goes_on(before, nowhere, 20, BUILTIN)
    assert (
        change_of(
            before, order_of(with_walk(QUAY, "odo", *VISITOR.walk), tmp_path)
        )
        is None
    )
    dusk = QUAY.scenario("dusk")
    put = Cue(at_s=3.0, does=MoveTo(moves="visitor", to=VISITOR.start))
    moved = QUAY.with_scenario(
        dusk.model_copy(update={"cues": (*dusk.cues, put)})
    )
    shorter = with_walk(moved, "visitor", *VISITOR.walk[:-1])
    assert (
        change_of(order_of(moved, tmp_path), order_of(shorter, tmp_path))
        is None
    )


@pytest.mark.parametrize("seconds", [20.0, 60.0])
def test_another_length_is_resumed_at_the_end_of_the_shorter(
    tmp_path: Path, recorded: RecordedTake, seconds: float
) -> None:
    order = order_of(QUAY, tmp_path / "resumed.take", seconds)
    tick = resumed(order_of(QUAY, tmp_path), order, recorded)
    assert tick == min(seconds, 42) * 20 // EVERY * EVERY
    assert_same(
        order.path, roll(order_of(QUAY, tmp_path / "first.take", seconds))
    )
