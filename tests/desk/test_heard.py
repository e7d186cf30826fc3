"""Noises and events on the stage, and what an option scores for each of a
group.
"""

import inspect
import math
from itertools import pairwise

import pytest

from tests.desk.conftest import Driver
from tests.small import key, played, project, record, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.desk.views.stage.candidates import candidates
from umbrant.desk.views.stage.heard import SHOWN_S, Moment, events, noises
from umbrant.desk.views.stage.look import (
    candidates_of,
    events_of,
    look_of,
    noises_of,
    sides_of,
    way_of,
)
from umbrant.desk.views.stage.view import StageView
from umbrant.model.behaviors import Key
from umbrant.model.parts import candidate_of, candidate_part
from umbrant.model.staging import Cue, Member, TakeAway
from umbrant.model.values import Curve, KeyType, Shape
from umbrant.stage.world import RINGS_S
from umbrant.take.reader import Take

TITLES = {"a": "Ann", "b": "Bo"}


def other(name: str, at: tuple[float, float]) -> Member:
    return Member(name=name, start=at, group="people")


def test_what_makes_a_noise_says_so() -> None:
    """The stage draws what kinds declare, so none may make a noise without
    declaring it.
    """
    for kind in BUILTIN.family(Family.ACTION):
        text = "".join(inspect.getsource(kind.run).split())
        makes = "make_noise(Noise(" in text
        assert makes == (kind.noise is not None), kind.id


# noises


def rings_at(
    take: Take, tick: int, **keys: float
) -> list[tuple[float, float]]:
    moment = Moment(take, tick, TITLES)
    members = take.header.played.players
    found = noises(
        moment, members, BUILTIN, lambda *_: keys, 10.0, {"b": (9.0, 9.0)}.get
    )
    return [(round(each.radius_m, 3), round(each.left, 3)) for each in found]


def test_a_noise_is_a_ring_that_fades() -> None:
    take = played(
        project(
            row("ss", "sequence"),
            row("ww", "wait", "ss", duration=1.0),
            row("mm", "make_noise", "ss", loudness=0.7),
            row("xx", "wait", "ss", duration=9.0),
        )
    )
    rate = take.header.ticks_per_s
    made = record(take, "mm").spans[0].start
    assert rings_at(take, made - 1) == []
    assert rings_at(take, made) == [(7.0, 1.0)]
    assert rings_at(take, made + round(rate)) == [
        (7.0, round(1 - 1 / RINGS_S, 3))
    ]
    assert rings_at(take, made + round(RINGS_S * rate)) == []


def test_a_noise_is_as_loud_as_its_key_says_and_upkeep_makes_it_again() -> (
    None
):
    loud = Key(name="loud", type=KeyType.NUMBER, default=0.5)
    upkeep = ("make_noise", 0.5, {"loudness": key("loud")})
    take = played(
        project(row("xx", "wait", duration=9.0, upkeep=[upkeep]), keys=(loud,))
    )
    assert [radius for radius, _ in rings_at(take, 11, loud=0.5)] == [5.0] * 3
    assert [radius for radius, _ in rings_at(take, 11, loud=2.0)] == [20.0] * 3
    assert rings_at(take, 11, loud=0.0) == []


def test_when_a_noise_is_made_must_be_known() -> None:
    take = played(
        project(
            row(
                "mm",
                "make_noise",
                loudness=1.0,
                decorators=[("delay", {"delay": 0.5})],
            )
        )
    )
    assert record(take, "mm").spans
    assert all(rings_at(take, tick) == [] for tick in range(take.ticks))
    # These let the work begin as the row is entered, and end as it does.
    known = {
        "cooldown": {"duration": 9.0},
        "time_limit": {"limit": 9.0},
        "weight": {"weight": 2.0},
    }
    for kind, args in known.items():
        take = played(
            project(
                row(
                    "mm", "make_noise", loudness=1.0, decorators=[(kind, args)]
                )
            )
        )
        assert any(rings_at(take, tick) for tick in range(take.ticks)), kind


# events


def test_an_event_travels_from_who_raised_it_to_who_receives_it() -> None:
    take = played(
        project(
            row("ss", "sequence"),
            row("ww", "wait", "ss", duration=1.0),
            row("tt", "tell_agent", "ss", target="b", event="come", delay=1.0),
            row("xx", "wait", "ss", duration=9.0),
            cast=(Member(name="b", start=(8, 2), behavior="b"),),
            seconds=5.0,
        )
    )
    rate = take.header.ticks_per_s
    raised = take.agents["a"].raised[0].tick
    received = next(
        each.tick for each in take.agents["b"].received if each.other == "a"
    )
    assert received - raised == pytest.approx(rate, abs=1)

    def seen(tick: int) -> list[tuple[float, str]]:
        found = events(Moment(take, tick, TITLES), "a")
        return [
            (round(each.travelled, 2), each.words)
            for each in found
            if "from Ann" in each.words
        ]

    half = (raised + received) // 2
    assert seen(raised - 1) == []
    assert seen(raised) == [
        (0.0, f"come from Ann to Bo · received in {1:.2f} s")
    ]
    assert seen(half)[0][0] == pytest.approx(0.5, abs=0.05)
    assert seen(received) == [
        (1.0, "come from Ann to Bo · received 0.00 s ago")
    ]
    assert seen(received + math.ceil(SHOWN_S * rate)) == []


# candidates


def test_each_candidate_has_what_the_option_scores_for_it() -> None:
    quarry = Key(name="quarry", type=KeyType.AGENT)
    falling = Curve(shape=Shape.LINEAR, flipped=True)
    take = played(
        project(
            row("uu", "utility"),
            row("chase", "option", "uu", among="people", target=key("quarry")),
            row(
                "near",
                "consider",
                "chase",
                input="distance(quarry)",
                high=20.0,
                curve=falling,
            ),
            row("go", "move_to", "chase", target=key("quarry"), reach=1.0),
            keys=(quarry,),
            cast=(other("far", (18, 5)), other("close", (5, 5))),
        )
    )
    places = {
        name: tuple(take.poses[name][0][:2].tolist())
        for name in ("far", "close")
    }
    behavior = take.header.expanded("b").behavior
    for row_id in ("uu", "chase", "near"):
        found = list(
            candidates(behavior, row_id, take.agents["a"], 0, places.get)
        )
        assert [(each.name, each.is_best) for each in found] == [
            ("far", False),
            ("close", True),
        ]
    scores = {
        candidate_of(part): changes.at(0)
        for part, changes in record(take, "chase").gauges.items()
        if part
    }
    here = take.poses["a"][0][:2].tolist()
    for each in found:
        gauge = scores[each.name]
        assert gauge is not None
        expected = 1 - math.dist(here, places[each.name]) / 20.0
        assert gauge.value == pytest.approx(expected, abs=0.01)
        assert each.score == f"{gauge.value:.2f}"
    assert (
        list(candidates(behavior, "go", take.agents["a"], 0, places.get))
        == found
    )


def test_who_is_no_candidate_any_more_has_no_score() -> None:
    quarry = Key(name="quarry", type=KeyType.AGENT)
    leaving = project(
        row("uu", "utility"),
        row("chase", "option", "uu", among="people", target=key("quarry")),
        row("go", "wait", "chase", duration=9.0),
        keys=(quarry,),
        cast=(other("far", (18, 5)), other("close", (5, 5))),
        cues=(Cue(at_s=1.0, does=TakeAway(removes="close")),),
    )
    take = played(leaving)
    gauges = record(take, "chase").gauges[candidate_part("close")]
    assert gauges.values[0].of == 0.0
    assert gauges.values[-1].of is None
    behavior = take.header.expanded("b").behavior

    def names(tick: int) -> list[str]:
        found = candidates(
            behavior, "chase", take.agents["a"], tick, lambda _: (1.0, 1.0)
        )
        return [each.name for each in found]

    assert names(0) == ["far", "close"]
    assert names(take.last_tick) == ["far"]


# in the window


def test_all_of_it_is_drawn_and_told(quay_driver: Driver) -> None:
    view, desk = quay_driver.pane.stage, quay_driver.desk
    assert isinstance(view, StageView)
    assert desk.take is not None
    stage, scenario = view.shown_stage(), desk.scenario
    assert stage is not None
    assert scenario is not None
    raised = next(each.tick for each in desk.take.agents["brine"].raised)
    desk.select_agent("brine")
    desk.move_playhead(raised + 2)
    lines = events_of(view)
    expected = [
        name
        for name, agent in desk.take.agents.items()
        if any(
            each.tick == raised + 1 and each.other == "brine"
            for each in agent.received
        )
        and name != "brine"
    ]
    assert len(lines) == len(expected) > 3
    look = look_of(view, stage, scenario)
    assert look.events == tuple(lines)
    words = [
        view.words_at(
            (view.to_pixels(each.start) + view.to_pixels(each.end) * share)
            / (1 + share)
        )
        for each in lines
        for share in (0.5, 1.0, 2.0)
    ]
    # Some of the lines lie under bodies, or under each other.
    assert len({each.words for each in lines} & set(words)) > len(lines) / 2
    assert lines[0].words in [each.name for each in view.parts()]
    barks = [each for each in noises_of(view) if "Brine" in each.words]
    assert barks
    assert barks[0].words in [each.name for each in view.parts()]
    desk.select_agent("mila")
    desk.select_row("chat")
    desk.move_playhead(10)
    (mark,) = candidates_of(view)
    assert mark.name == "visitor"
    assert f"Chat scores {mark.score} for visitor" in view.words_at(
        view.to_pixels(mark.at)
    )
    assert not view.grab().isNull()


def test_what_the_selected_row_draws_answers_in_words(
    quay_driver: Driver,
) -> None:
    view, desk = quay_driver.pane.stage, quay_driver.desk
    stage = view.shown_stage()
    desk.move_playhead(730)
    desk.select_row("esc")
    (side,) = sides_of(view, stage)
    ends = view.to_pixels(side.here), view.to_pixels(side.there)
    on_line = {
        view.words_at(ends[0] + (ends[1] - ends[0]) * each / 10)
        for each in range(11)
    }
    words = f"what the selected row asks about · {side.words}"
    assert words in on_line
    assert words in [each.name for each in view.parts()]
    desk.select_row("keep")
    way = way_of(view)
    assert way
    corners = [view.place_of("odo")[0], *way]
    left_m = sum(math.dist(one, other) for one, other in pairwise(corners))
    words = f"the way of the selected row · {left_m:.1f} m to go"
    on_way = [view.to_pixels(one) for one in corners]
    seen = {
        view.words_at(one + (other - one) * each / 10)
        for one, other in pairwise(on_way)
        for each in range(11)
    }
    assert words in seen
