"""Decision maps: what they say is what is played, and what cannot be an axis
is told.
"""

import json
import math
from collections.abc import Iterator, Sequence
from pathlib import Path
from random import Random
from typing import Any
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from tests.mapping.drawing_process import drawn
from tests.small import key, played, project, record, row
from umbrant.branching.branch import branch_order
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.validation import open_project
from umbrant.engine.recorder import CUT_OFF
from umbrant.mapping.asking import DecisionAsker, MapAnswer
from umbrant.mapping.axes import AxisError, MapSubject, both_actions, read_axis
from umbrant.mapping.border_number import BorderNumber
from umbrant.mapping.call_limit import CallLimit
from umbrant.mapping.drawing import runs_inside, svg
from umbrant.mapping.field import STEPS, MapField, MapPicture
from umbrant.model.behaviors import Key
from umbrant.model.staging import Body, Member, Stat
from umbrant.model.values import KeyType
from umbrant.reasons.decision_changes import lead_at, leading_spans
from umbrant.rolling.roll import RollOrder, header_of, roll
from umbrant.take.reader import Take, read_take
from umbrant.take.take_file import TakeFile

N = Key(name="n", type=KeyType.NUMBER, default=0.5)
TWICE = Key(name="twice", type=KeyType.NUMBER, formula="n * 2")


def bands() -> Take:
    """An agent that flees near the visitor, stands by it further off, and else
    waits.
    """
    return played(
        project(
            row("top", "selector"),
            row(
                "flee", "wait", "top", duration=9.0, guard="distance(who) < 4"
            ),
            row(
                "talk",
                "wait",
                "top",
                duration=9.0,
                guard="distance(who) < 12 and n > 0.25",
            ),
            row("rest", "wait", "top", duration=9.0),
            keys=(N, TWICE, Key(name="who", type=KeyType.AGENT, default="v")),
            cast=(Member(name="v", start=(9, 5)),),
            seconds=0.3,
        )
    )


def asker(
    take: Take, x: str, y: str, tick: int = 0, agent: str = "a"
) -> DecisionAsker:
    subject = MapSubject(take, agent, tick, BUILTIN)
    axes = read_axis(x, subject, "x"), read_axis(y, subject, "y")
    return DecisionAsker(subject, axes, CallLimit(2.0), trusted=False)


def picture(
    take: Take,
    x: str,
    y: str,
    tick: int = 0,
    agent: str = "a",
    steps: int = STEPS,
) -> MapPicture:
    return drawn(take, agent, tick, x, y, steps)


COARSER = 32
"""Steps of a map, for what does not need all of them: each place is played."""


def test_what_makes_a_border_is_known_with_its_number() -> None:
    take = bands()
    found = picture(take, "distance(who)=0:16", "n=0:1", steps=COARSER)
    numbers = {each.says: each.number for each in found.borders}
    near, far, low = (
        next(number for says, number in numbers.items() if text in says)
        for text in ("< 4", "< 12", "n > 0.25")
    )
    assert (near.value, near.axis, near.at((3.25, 0.9))) == (4.0, 0, 3.25)
    assert (far.value, far.axis, far.place.index) == (12.0, 0, 0)
    assert (low.value, low.axis, low.at((3.25, 0.9)), low.place.index) == (
        0.25,
        1,
        0.9,
        1,
    )
    changed = near.place.put(take.header.project, 3.25)
    assert near.read(changed) == 3.25
    again = picture(
        played(changed), "distance(who)=0:16", "n=0:1", steps=COARSER
    )
    moved = [each.number for each in again.borders if "< 3.25" in each.says]
    assert [each.value for each in moved if each is not None] == [3.25] * 2


@pytest.mark.parametrize(("near", "far"), [(4, 8), (8, 4)])
def test_where_bands_of_a_machine_overlap_it_does_not_settle(
    near: int, far: int
) -> None:
    take = played(
        project(
            row("mm", "machine"),
            row("aa", "state", "mm"),
            row("t1", "when", "aa", when=f"distance(who) > {far}", to="bb"),
            row("bb", "state", "mm"),
            row("t2", "when", "bb", when=f"distance(who) < {near}", to="aa"),
            keys=(N, Key(name="who", type=KeyType.AGENT, default="v")),
            cast=(Member(name="v", start=(9, 5)),),
            seconds=0.3,
        )
    )
    found = picture(take, "distance(who)=0:16", "n=0:1", 1, steps=COARSER)
    for i, label in enumerate(found.grid[0]):
        metres = i / 2
        wanted = "aa" if metres <= far else "bb"
        if far < metres < near:
            wanted = "mm|unsettled"
        assert found.leads[label] == wanted, metres
        assert found.row_of(label) == wanted.partition("|")[0]
    assert ("1 mm does not settle" in found.labels) is (far < near)
    # Who plays it with the other 6 m away sees the same.
    there = take.header.project.with_scenario(
        take.header.played.model_copy(
            update={"cast": _moved(take.header.played.cast, "v", (8, 5))}
        )
    )
    assert bool(record(played(there), "mm").refusals.get(CUT_OFF)) is (
        far < 6 < near
    )


def _moved(
    cast: Sequence[Member], name: str, at: tuple[float, float]
) -> tuple[Member, ...]:
    return tuple(
        each.model_copy(update={"start": at}) if each.name == name else each
        for each in cast
    )


def test_a_border_around_the_agent_is_a_circle() -> None:
    take = bands()
    found = picture(take, "v.x=0:20", "v.y=0:10", steps=COARSER)
    number = next(each.number for each in found.borders if "< 4" in each.says)
    own = tuple(take.poses["a"][0, :2].tolist())
    assert (number.axis, number.centre) == (None, own)
    to = (own[0] + 3.0, own[1] - 4.0)
    assert number.at(to) == pytest.approx(5.0, abs=0.01)
    far = picture(take, "v.distance=0:16", "n=0:1", steps=COARSER)
    assert far.borders[0].number is not None


def test_a_sight_within_a_range_has_the_range_as_its_number(
    dusk: Take,
) -> None:
    def numbers(x: str, y: str, tick: int) -> list[BorderNumber | None]:
        found = picture(dusk, x, y, tick, "odo", COARSER)
        return [
            each.number for each in found.borders if "within 8 m" in each.says
        ]

    (number,) = numbers("visitor.distance=0:16", "alarm=0:1", 270)
    assert number is not None
    assert (number.value, number.axis, number.place.row) == (8.0, 0, "esc")
    # Where crates are in between at 3 m, the range does not make the border.
    assert numbers("visitor.distance=0:16", "alarm=0:1", 361) == [None]
    # Where only one of the two places along the stage is moved, the map shows
    # no distance.
    assert {*numbers("visitor.x=0:30", "alarm=0:1", 270)} <= {None}


def test_bands_are_where_their_numbers_are() -> None:
    found = picture(bands(), "distance(who)=0:16", "n=0:1")
    assert found.is_final
    assert set(found.labels) == {"1.1 flee", "1.2 talk", "1.3 rest"}
    places = {label: found.labels.index(label) for label in found.labels}
    step = 16 / STEPS
    for j, line in enumerate(found.grid):
        n = j / STEPS
        for i, label in enumerate(line):
            near, far = i * step < 4, i * step < 12 and n > 0.25
            wanted = "1.1 flee" if near else "1.2 talk" if far else "1.3 rest"
            assert label == places[wanted], (i * step, n)
    assert found.played < (STEPS + 1) ** 2 / 4, (
        "only at borders it is looked at closely"
    )
    says = {
        frozenset(
            (found.labels[each.one], found.labels[each.other])
        ): each.says
        for each in found.borders
    }
    assert (
        says[frozenset(("1.1 flee", "1.2 talk"))]
        == "1.1 flee: distance to who < 4 m"
    )
    assert says[frozenset(("1.2 talk", "1.3 rest"))].startswith("1.2 talk: ")
    assert {each.row_id for each in found.borders} == {"flee", "talk"}


def test_the_point_of_the_take_and_its_path_are_told() -> None:
    take = bands()
    found = picture(take, "distance(who)=0:16", "v.x=0:20", steps=COARSER)
    assert found.here == pytest.approx((7.0, 9.0), abs=0.01)
    assert found.path
    subject = MapSubject(take, "a", 0, BUILTIN)
    assert read_axis("1.1.guard.1=0:9", subject, "x").now(subject) == 4.0


@pytest.fixture(scope="module")
def banded() -> DecisionAsker:
    return asker(bands(), "distance(who)=0:16", "n=0:1")


def test_where_somebody_is_must_be_known(tmp_path: Path) -> None:
    path = tmp_path / "stopped.take"
    quay = open_project(DEMO)
    TakeFile(path, header_of(quay, quay.scenario("dusk"))).close(
        "stopped by the author"
    )
    subject = MapSubject(read_take(path), "odo", 0, BUILTIN)
    assert subject.place("odo") is None
    with pytest.raises(
        AxisError, match=r"visitor\.x: visitor is not on the stage"
    ):
        read_axis("visitor.x=0:9", subject, "x")


@given(st.floats(-1, 17), st.floats(-0.2, 1.2), st.floats(0.35, 1.5))
def test_a_map_comes_in_rounds_and_ends_as_if_each_place_had_been_asked(
    banded: DecisionAsker, x: float, y: float, radius: float
) -> None:
    made, rounds = banded, list[int]()

    def lead(at: tuple[float, float]) -> MapAnswer:
        """Inside of a circle that is larger than a coarse step something else
        leads.
        """
        return MapAnswer(
            "flee"
            if math.hypot((at[0] - x) / 16, at[1] - y) < radius
            else "talk"
        )

    def ask(places: Sequence[tuple[float, float]]) -> list[MapAnswer]:
        rounds.append(len(places))
        return [lead(each) for each in places]

    drawn = MapField(made.subject, made.axes, ask)
    found = list(drawn.pictures())
    assert [each.played for each in found[:2]] == [25, 81], (
        "the first look is a rough one"
    )
    assert [each.is_final for each in found] == [False] * 4 + [True]
    last = found[-1]
    assert sum(rounds) == last.played <= (STEPS + 1) ** 2
    for j, line in enumerate(last.grid):
        for i, label in enumerate(line):
            assert last.leads[label] == lead(drawn.value((i, j))).lead, (i, j)


@pytest.mark.parametrize(
    ("x", "y", "wanted"),
    [
        (
            "v.distance=0:20",
            "n=0.5:1",
            {(2.0, 0.5): "flee", (8.0, 0.5): "talk"},
        ),
        ("v.x=0:20", "v.y=0:10", {(5.0, 7.0): "flee", (17.5, 5.0): "rest"}),
        (
            "1.1.guard.1=0:20",
            "n=0:1",
            {(3.0, 0.5): "talk", (8.0, 0.5): "flee"},
        ),
        ("1.1.duration=0:9", "distance(who)=0:16", {(0.0, 3.0): "flee"}),
    ],
)
def test_each_sort_of_input_can_be_an_axis(
    x: str, y: str, wanted: dict[tuple[float, float], str]
) -> None:
    answers = asker(bands(), x, y).ask(list(wanted))
    assert [each.lead for each in answers] == list(wanted.values())


def test_a_number_of_the_body_can_be_an_axis() -> None:
    body = Body(stats={"health": Stat(value=0.9)})
    take = played(
        project(
            row("top", "selector"),
            row(
                "rest",
                "wait",
                "top",
                duration=9.0,
                guard='stat("health") < 0.3',
            ),
            row("work", "wait", "top", duration=9.0),
            keys=(N,),
            cast=(Member(name="z", behavior="b", start=(5, 5), body=body),),
            seconds=0.3,
        )
    )
    made = asker(take, "health=0:1", "n=0:1", agent="z")
    assert [each.lead for each in made.ask([(0.2, 0.5), (0.4, 0.5)])] == [
        "rest",
        "work",
    ]
    assert made.axes[0].now(made.subject) == pytest.approx(0.9)
    sensed = asker(take, 'stat("health")=0:1', "n=0:1", agent="z")
    assert [each.lead for each in sensed.ask([(0.2, 0.5), (0.4, 0.5)])] == [
        "rest",
        "work",
    ]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("n", "write it as INPUT=LOW:HIGH"),
        ("n=3:1", "from a lower to a higher number"),
        ("n=0:inf", "from a lower to a higher number"),
        ("twice=0:1", "is worked out from others"),
        ("who=0:1", "holds agent"),
        ("nn=0:1", "there is no such input. Did you mean"),
        (
            "can_see(who)=0:1",
            "Move what it asks about instead, as in visitor.distance=0:20",
        ),
        ("distence(who)=0:1", "Did you mean 'distance'?"),
        ("n + f(1)=0:1", "write one sense"),
        ("f(=0:1", "never closed"),
        ("a.distance=0:1", "that is always 0"),
        ("9.9.reach=0:1", "has no such row"),
        ("1.1.guard.7=0:1", "the guard has no number '7'"),
    ],
)
def test_what_cannot_be_an_axis_is_told_with_the_way_out(
    text: str, says: str
) -> None:
    subject = MapSubject(bands(), "a", 0, BUILTIN)
    with pytest.raises(AxisError) as raised:
        read_axis(text, subject, "x")
    assert says in str(raised.value)


@pytest.fixture(scope="module")
def dusk(tmp_path_factory: pytest.TempPathFactory) -> Take:
    path = tmp_path_factory.mktemp("dusk") / "dusk.take"
    return read_take(
        roll(RollOrder(open_project(DEMO), "dusk", path, seconds=20.0))
    )


AXES = {
    "odo": (
        "visitor.x=1:35",
        "visitor.y=1:12",
        "visitor.distance=0:15",
        "alarm=0:1",
    ),
    "brine": ("visitor.distance=0.5:12", "alarm=0:1", "barks=0:5"),
    "mila": ("stock=0:14", "alarm=0:1", "visitor.distance=1:12"),
}


@pytest.mark.parametrize("seed", range(12))
def test_what_a_map_says_is_what_a_branch_does(
    dusk: Take, tmp_path: Path, seed: int
) -> None:
    """The same values put in by a branch, which is a whole take, lead to the
    same row.
    """
    random = Random(seed)  # noqa: S311  (nothing is to be kept secret)
    agent = random.choice(list(AXES))
    x, y = random.sample(AXES[agent], 2)
    subject = MapSubject(dusk, agent, random.randrange(1, 390), BUILTIN)
    axes = read_axis(x, subject, "x"), read_axis(y, subject, "y")
    questions = DecisionAsker(subject, axes, CallLimit(2.0), trusted=False)
    for number in range(2):
        values = tuple(random.uniform(axis.low, axis.high) for axis in axes)
        (answer,) = questions.ask([(values[0], values[1])])
        actions = both_actions(subject, axes, (values[0], values[1]))
        order = branch_order(
            dusk, subject.tick, actions, tmp_path / f"{number}", trusted=False
        )
        branch = read_take(roll(order))
        leads = [
            lead_at(found, subject.tick)
            for found in leading_spans(branch, agent)
        ]
        rows = dict.fromkeys(each.row_id for each in leads if each is not None)
        assert answer.lead == " + ".join(rows)


def test_nothing_is_left_running_after_questions() -> None:
    made = asker(bands(), "n=0:1", "distance(who)=0:16")
    before = children()
    made.ask([(0.5, float(at)) for at in range(9)])
    assert children() <= before


def children() -> set[str]:
    """The processes that this one has started and that still run."""
    own = Path("/proc/self").resolve().name
    return set(Path(f"/proc/self/task/{own}/children").read_text().split())


def pictures() -> Iterator[MapPicture]:
    grid = tuple(
        tuple(int(i > j) for i in range(STEPS + 1)) for j in range(STEPS + 1)
    )
    yield MapPicture(
        x="a<b",
        y="y",
        low=(0.0, 0.0),
        high=(1.0, 2.0),
        labels=("one & two", "three"),
        leads=("r1", "r2"),
        grid=grid,
        here=(0.5, 1.0),
        path=((0.1, 0.1), (0.2, 0.1), (5.0, 5.0), (0.3, 0.3), (0.4, 0.3)),
    )


@pytest.mark.parametrize("made", list(pictures()))
def test_a_map_is_drawn_as_svg(made: MapPicture) -> None:
    root = ElementTree.fromstring(svg(made))  # noqa: S314  (our own text)
    space = "{http://www.w3.org/2000/svg}"
    texts = [each.text for each in root.iter(f"{space}text")]
    assert {"a<b", "y", "1", "2"} <= set(texts)
    assert any(text and text.startswith("one & two · ") for text in texts)
    assert (
        len(list(root.iter(f"{space}polyline"))) == len(runs_inside(made)) == 2
    )
    assert len(list(root.iter(f"{space}circle"))) == 1
    assert sum(share for _, share in made.shares()) == pytest.approx(1.0)


def test_the_command_line_maps_and_draws(
    umbrant: Any, dusk: Take, tmp_path: Path
) -> None:
    out = tmp_path / "map.svg"
    args = ("map", dusk.path, "--agent", "odo", "--at", "18.05")
    axes = ("--x", "visitor.distance=0:16", "--y", "1.1.guard.within=2:14")
    code, said, err = umbrant(*args, *axes, "--out", out)
    assert (code, err) == (0, "")
    assert said.splitlines()[0].startswith(
        "across visitor.distance, up warden/1.1.guard.within"
    )
    assert "by 1.1 Escort the visitor: can see visitor within 8 m" in said
    assert ElementTree.parse(out)  # noqa: S314
    found = MapPicture.model_validate(
        json.loads(umbrant(*args, *axes, "--json")[1])
    )
    assert (found.is_final, len(found.grid)) == (True, STEPS + 1)
    code, _, err = umbrant(*args, "--x", "nothing=0:1", "--y", "alarm=0:1")
    assert (code, "there is no such input" in err) == (1, True)
    code, _, err = umbrant(*args, *axes, "--out", tmp_path / "no" / "map.svg")
    assert (code, "cannot be written" in err) == (1, True)


def test_an_answer_of_nobody_is_nothing() -> None:
    assert MapAnswer("").lead == ""
    assert key("n").key == "n"
