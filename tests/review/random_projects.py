"""Small random projects with the mistakes that people make: numbers that
overlap, states without a way out, guards that never hold.
"""

from random import Random
from typing import Any

from tests.small import project, row
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.kind import Family
from umbrant.model.behaviors import (
    Behavior,
    Blackboard,
    Event,
    EventList,
    Guard,
    Key,
    Override,
    Row,
    Sharing,
    UpkeepMoment,
    Watch,
)
from umbrant.model.documents import Project
from umbrant.model.staging import (
    Area,
    Blocks,
    Body,
    Cue,
    Member,
    Place,
    Prop,
    RaiseEvent,
    SetKey,
    Stat,
    WalkPoint,
)
from umbrant.model.values import KeyRef, KeyType

VALUES = (1.0, 2.0, 3.0, 4.0)
NUMBERS = ("near", "mood", "fixed", "double")
SECONDS = 2.0
DEEPEST = 3
KEYS = (
    Key(name="near", type=KeyType.NUMBER, default=2.0, scope=Sharing.WORLD),
    Key(name="mood", type=KeyType.NUMBER, default=1.0),
    Key(name="fixed", type=KeyType.NUMBER, default=2.0),
    Key(name="double", type=KeyType.NUMBER, formula="near * 2"),
    Key(name="never", type=KeyType.NUMBER),
    Key(name="v", type=KeyType.AGENT, default="walker"),
    Key(name="seen", type=KeyType.YES_NO),
    Key(name="there", type=KeyType.POINT),
)
LEAVES = (
    *("last", "last", "check", "wait", "move_away", "raise_event"),
    *("set_number", "count", "copy", "use_behavior"),
)
INNER = Behavior(
    name="inner",
    title="Inner",
    blackboard="inner",
    rows=(
        row("top", "selector"),
        row(
            "low",
            "wait",
            "top",
            guard=("level < 3", Watch.THROUGHOUT),
            duration=0.3,
        ),
        row("up", "count", "top", key=KeyRef(key="level"), amount=1.0),
    ),
)
INNER_KEYS = Blackboard(
    name="inner",
    title="Inner",
    keys=(Key(name="level", type=KeyType.NUMBER, default=1.0),),
)
SIGHT = {
    "target": KeyRef(key="v"),
    "seen": KeyRef(key="seen"),
    "where": KeyRef(key="there"),
}
WALKER = Member(
    name="walker",
    start=(4.0, 5.0),
    walk=(WalkPoint(at_s=SECONDS, to=(18.0, 5.0)),),
)


class RandomProject:
    """Draws the rows and cues of one project."""

    composites: tuple[str, ...] = (
        "selector",
        "sequence",
        "parallel",
        "machine",
    )
    """The kinds of rows with rows in them, besides the first."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)  # noqa: S311 - drawn again from its seed, not a secret
        self.rows: list[Row] = []
        root = self.random.choice(
            ("selector", "sequence", "machine", "machine", "utility")
        )
        self.composite(None, root, 0)

    @property
    def made(self) -> Project:
        """The project, with cues that move its numbers and raise its events."""
        times = [self.random.randrange(1, 20) / 10 for _ in range(4)]
        cues: list[Cue] = [
            Cue(
                at_s=at,
                does=SetKey(sets="near", value=self.random.choice(VALUES)),
            )
            for at in times
        ]
        cues.append(
            Cue(
                at_s=self.random.choice((0.5, 2.5)),
                does=RaiseEvent(raises="bell"),
            )
        )
        around: dict[str, Any] = {
            "keys": KEYS,
            "cues": tuple(cues),
            "cast": (WALKER,),
            "seconds": SECONDS,
            "behaviors": (INNER,),
            "blackboards": (INNER_KEYS,),
        }
        made = project(*self.rows, **{**around, **self._setting()})
        events = EventList(events=(Event(name="bell"), Event(name="gong")))
        return made.model_copy(update={"event_list": events})

    def _setting(self) -> dict[str, Any]:
        """What is otherwise on the stage than in most, as `project` takes it."""
        return {}

    def condition(self) -> str:
        """A comparison, or two of them."""
        parts = [
            self._comparison() for _ in range(self.random.choice((1, 1, 1, 2)))
        ]
        return self.random.choice((" and ", " or ")).join(parts)

    def _comparison(self) -> str:
        draw = self.random
        value = draw.choice(
            (*NUMBERS, "clock()", "distance(v)", f"{draw.choice(NUMBERS)} + 1")
        )
        sign = draw.choice(("<", "<=", ">", ">="))
        said = f"{value} {sign} {draw.choice(VALUES):g}"
        return draw.choice(
            (
                said,
                said,
                said,
                f"not {said}",
                f"not ({said})",
                "is_set(never)",
                "no",
            )
        )

    def composite(self, under: str | None, kind: str, depth: int) -> None:
        """A row with rows in it."""
        row_id = self._add(kind, under, **self._around(under))
        inside = self.random.randrange(1, 4)
        if kind == "machine":
            self._states(row_id, depth)
            return
        for _ in range(inside):
            holder = self._option(row_id) if kind == "utility" else row_id
            self.tree(holder, depth + 1)

    def _option(self, utility: str) -> str:
        return self._add("option", utility)

    def tree(self, under: str, depth: int) -> None:
        """A leaf, or a row with rows in it."""
        if depth < DEEPEST and self.random.random() < 0.4:
            self.composite(under, self.random.choice(self.composites), depth)
            return
        kind = self.random.choice(LEAVES)
        self._leaf(under, kind)

    def _leaf(self, under: str, kind: str) -> None:
        args: dict[str, dict[str, Any]] = {
            "last": {
                "ticks": self.random.randrange(4),
                "success": self.random.random() < 0.7,
            },
            "check": {"when": self.condition()},
            "set_number": {
                "key": KeyRef(key="mood"),
                "value": self.random.choice(VALUES),
            },
            "wait": {"duration": self.random.choice((0.2, 1.0))},
            "move_away": {"target": KeyRef(key="v"), "distance": 3.0},
            "raise_event": {"event": self.random.choice(("bell", "gong"))},
            "count": {"key": KeyRef(key="mood"), "amount": 1.0},
            "copy": {"source": KeyRef(key="near"), "key": KeyRef(key="mood")},
            "use_behavior": {"behavior": "inner"},
        }
        binds = (
            {"level": KeyRef(key="mood")} if self.random.random() < 0.7 else {}
        )
        more = {"binds": binds} if kind == "use_behavior" else {}
        self._add(kind, under, **args[kind], **self._around(under), **more)

    def _around(self, under: str | None) -> dict[str, Any]:
        draw = self.random
        if under is None or draw.random() < 0.5:
            return {}
        guard = (self.condition(), draw.choice(list(Watch)))
        when = draw.choice((0.2, UpkeepMoment.ENTRY, UpkeepMoment.LEAVING))
        upkeep = [("look_out", when, SIGHT)] if draw.random() < 0.2 else []
        decorators = self._decorators()
        chosen = draw.sample(decorators, draw.randrange(0, 3))
        around = {"decorators": chosen, "upkeep": upkeep}
        return {"guard": guard, **around} if draw.random() < 0.7 else around

    def _decorators(self) -> list[tuple[str, dict[str, Any]]]:
        draw = self.random
        return [
            ("invert", {}),
            ("always_fail", {}),
            ("always_succeed", {}),
            ("chance", {"share": draw.choice((0.0, 0.5))}),
            ("time_limit", {"limit": 0.5}),
            ("delay", {"delay": 0.8}),
            ("repeat_until", {"result": draw.choice(("success", "failure"))}),
            ("cooldown", {"duration": 0.4}),
        ]

    def _states(self, machine: str, depth: int) -> None:
        draw = self.random
        states = [
            self._add("state", machine) for _ in range(draw.randrange(2, 5))
        ]
        if draw.random() < 0.3:
            states.append(self._add("final", machine))
        for state in states:
            if self._kind(state) == "final":
                continue
            for _ in range(draw.randrange(0, 3)):
                self._transition(state, draw.choice(states))
            for _ in range(draw.randrange(0, 2)):
                self.tree(state, depth + 2)
        if draw.random() < 0.3:
            self._transition(machine, draw.choice(states))

    def _transition(self, under: str, to: str) -> None:
        draw = self.random
        kind = draw.choice(
            ("when", "when", "when", "after", "on_done", "on_event")
        )
        args: dict[str, dict[str, Any]] = {
            "when": {"when": self.condition()},
            "after": {"time": draw.choice((0.3, 0.6))},
            "on_done": {
                "result": draw.choice(("success", "failure", "either way"))
            },
            "on_event": {"event": draw.choice(("bell", "gong"))},
        }
        self._add(kind, under, to=to, **args[kind])

    def _kind(self, row_id: str) -> str:
        return next(each.kind for each in self.rows if each.id == row_id)

    def _add(self, kind: str, under: str | None, **more: Any) -> str:
        row_id = f"r{len(self.rows)}x"
        self.rows.append(row(row_id, kind, under, **more))
        return row_id


class LockedProject(RandomProject):
    """One whose conditions ask mostly for what its rows are yet to find."""

    def _comparison(self) -> str:
        senses = (
            *("seen", "is_set(there)", "distance(there) < 9", "not seen"),
            *("not is_set(there)", "time_since(seen) < 1"),
        )
        if self.random.random() < 0.7:
            return self.random.choice(senses)
        return super()._comparison()


class FlagProject(RandomProject):
    """One whose sequences set what their own guards ask for."""

    composites = ("sequence", "sequence", "selector", "parallel")

    def composite(self, under: str | None, kind: str, depth: int) -> None:
        draw = self.random
        if kind != "sequence" or draw.random() < 0.3:
            super().composite(under, kind, depth)
            return
        seen, mood = {"key": KeyRef(key="seen")}, {"key": KeyRef(key="mood")}
        when, sets, args = draw.choice(
            (
                ("not seen", "set_yes_no", {**seen, "value": True}),
                (
                    "not seen or mood > 3",
                    "set_yes_no",
                    {**seen, "value": True},
                ),
                ("mood < 3", "set_number", {**mood, "value": 4.0}),
                (
                    "mood < 3 and near > 1",
                    "set_number",
                    {**mood, "value": 3.0},
                ),
                ("is_set(mood)", "clear", mood),
            )
        )
        watch = draw.choice((Watch.THROUGHOUT, Watch.WHILE_RUNNING))
        sequence = self._add("sequence", under, guard=(when, watch))
        if draw.random() < 0.5:
            self.tree(sequence, depth + 1)
        self._add(sets, sequence, **args)
        for _ in range(draw.randrange(1, 3)):
            self.tree(sequence, depth + 1)


class DrawnProject(RandomProject):
    """One in which much is drawn, and much comes again."""

    composites = (
        "random_selector",
        "random_selector",
        "sequence",
        "accompany",
        "utility",
    )

    def _decorators(self) -> list[tuple[str, dict[str, Any]]]:
        draw = self.random
        return [
            *super()._decorators(),
            ("repeat", {"times": draw.choice((2, 3))}),
            ("retry", {"times": 2}),
            ("repeat_for_ever", {}),
            ("at_most", {"times": 2, "counted": "per entry"}),
            ("hold", {"duration": 0.5}),
            ("weight", {"weight": draw.choice((0.0, 3.0))}),
        ]

    def composite(self, under: str | None, kind: str, depth: int) -> None:
        before = len(self.rows)
        super().composite(under, kind, depth)
        if kind == "utility":
            # Most mistakes are those of the numbers that it decides by.
            draw, made = self.random, self.rows[before]
            args = {
                "winner": draw.choice(("highest", "within a margin")),
                "hold": draw.choice((0.0, 0.0, 0.4)),
                "every": draw.choice((0.0, 0.0, 0.3)),
                "threshold": draw.choice((0.0, 0.3)),
            }
            self.rows[before] = made.model_copy(update={"args": args})

    def _option(self, utility: str) -> str:
        draw = self.random
        guard = {"guard": self.condition()} if draw.random() < 0.5 else {}
        option = self._add("option", utility, **guard)
        for _ in range(draw.randrange(0, 3)):
            number = draw.choice((*NUMBERS, "never", "clock()", "near / mood"))
            self._add("consider", option, input=number, high=4.0)
        return option


STAGE_KEYS = (
    *KEYS,
    Key(name="thing", type=KeyType.PROP),
    Key(name="foe", type=KeyType.AGENT),
    Key(name="spot", type=KeyType.POINT, default=(6.0, 5.0)),
    Key(name="noise", type=KeyType.POINT),
    Key(name="named", type=KeyType.TEXT, default="none"),
)


class StageProject(RandomProject):
    """One whose agents have to do with each other, and with things."""

    composites = ("selector", "sequence", "parallel", "utility", "machine")

    def _variant(self) -> Behavior:
        """What the mate does: the same, but for a guard and for a row that
        another takes the place of.
        """
        draw = self.random
        above = {each.under for each in self.rows}
        leaves = [
            each.id
            for each in self.rows
            if each.id not in above and BUILTIN.get(each.kind, Family.ACTION)
        ]
        other = row("own", draw.choice(("wait", "use_behavior")))
        if other.kind == "use_behavior":
            other = row(
                "own",
                "use_behavior",
                behavior="inner",
                binds={"level": KeyRef(key="mood")},
            )
        overrides = [
            Override(row=each, instead=(other,))
            for each in draw.sample(leaves, min(1, len(leaves)))
        ]
        guarded = [
            each.id
            for each in self.rows
            if each.guard and each.id not in [one.row for one in overrides]
        ]
        overrides += [
            Override(row=each, guard=Guard(when=self.condition()))
            for each in draw.sample(guarded, min(1, len(guarded)))
        ]
        return Behavior(
            name="own_way",
            title="Own way",
            blackboard="k",
            variant_of="b",
            overrides=tuple(overrides),
        )

    def _setting(self) -> dict[str, Any]:
        stats = {"zest": Stat(value=0.8, per_s=-0.2)}
        body = Body(sight_m=7.0, hearing_m=6.0, walk_m_s=3.0, stats=stats)
        mate = Member(
            name="mate",
            behavior="own_way",
            group="crew",
            start=(12.0, 5.0),
            facing_deg=180.0,
            body=body,
        )
        return {
            "keys": STAGE_KEYS,
            "behaviors": (INNER, self._variant()),
            "cast": (mate, WALKER.model_copy(update={"group": "guests"})),
            "group": "crew",
            "body": body,
            "seconds": 3.0,
            "props": (
                Prop(name="cup", group="loot", at=(3.0, 5.0), level=0.3),
                Prop(name="jar", group="loot", at=(5.0, 7.0), drain_per_s=0.3),
                Prop(name="box", group="loot", at=(14.0, 3.0)),
            ),
            "areas": (
                Area(name="wall", corners=((8, 2), (9, 2), (9, 8), (8, 8))),
                Area(
                    name="mat",
                    corners=((2, 4), (5, 4), (5, 6), (2, 6)),
                    blocks=Blocks.NOTHING,
                ),
            ),
            "places": (Place(name="corner", at=(19, 9)),),
        }

    def _comparison(self) -> str:
        draw = self.random
        if draw.random() < 0.3:
            return super()._comparison()
        row_id = f"r{draw.randrange(12)}x"
        numbers = (
            *("distance(foe)", "distance(thing)", "distance('corner')"),
            *("way_length(spot)", "distance_between(v, thing)"),
            *("stat('zest') * 4", "stat_of(foe, 'zest') * 4"),
            *("level(thing) * 4", "nearest('loot')", "time_since(noise)"),
            *("count_of('loot', within=5)", "count_of('crew')"),
            *(f"others_in('{row_id}')", f"time_in('{row_id}')"),
            *("time_since_event('gong')", "random(0, 4)"),
            f"others_in('{row_id}', group='guests')",
        )
        answers = (
            *("can_see(v)", "can_see(foe, within=3)", "carries()"),
            *("heard(within=5)", "heard('thud')", "event('gong')"),
            *("is_set(thing)", "in_zone('mat')", "is_in_zone(thing, 'mat')"),
            f"in_state('{row_id}')",
            *("named == 'none'", "foe == v"),
        )
        if draw.random() < 0.5:
            return draw.choice(("", "not ")) + draw.choice(answers)
        sign = draw.choice(("<", "<=", ">", ">="))
        return f"{draw.choice(numbers)} {sign} {draw.choice(VALUES):g}"

    def _leaf(self, under: str, kind: str) -> None:
        draw = self.random
        if draw.random() < 0.2:
            super()._leaf(under, kind)
            return
        thing, foe = KeyRef(key="thing"), KeyRef(key="foe")
        spot, noise = KeyRef(key="spot"), KeyRef(key="noise")
        anything = draw.choice((thing, foe, spot, noise, {"place": "corner"}))
        group = draw.choice(("crew", "guests", "loot"))
        which = draw.choice(("nearest", "furthest", "random", "highest"))
        within = draw.choice((3.0, 8.0, 30.0))
        kinds: dict[str, dict[str, Any]] = {
            "pick": {
                "which": which,
                "group": "loot",
                "key": thing,
                "within": within,
            },
            "note_seen": {
                "group": draw.choice(("crew", "guests")),
                "key": foe,
                "within": within,
            },
            "pick_lowest": {
                "group": "loot",
                "thing": thing,
                "level": KeyRef(key="mood"),
            },
            "pick_point": {"target": anything, "key": spot},
            "listen": {"where": noise},
            "move_to": {"target": anything, "reach": draw.choice((0.5, 2.0))},
            "follow": {"target": foe, "distance": 1.0, "duration": 0.6},
            "wander": {"centre": anything, "radius": 2.0, "duration": 0.5},
            "take_cover": {"watcher": foe, "within": within},
            "keep_ring": {"target": foe, "distance": 2.0, "duration": 0.5},
            "face": {"target": anything},
            "carry": {"target": thing, "reach": within},
            "throw": {"target": anything, "reach": within},
            "drop": {},
            "use": {"target": thing, "duration": 0.3, "reach": 3.0},
            "use_up": {"target": thing, "amount": 0.4, "reach": 3.0},
            "strike": {"target": foe, "stat": "zest", "reach": within},
            "change_stat": {"stat": "zest", "amount": -0.1},
            "change_slowly": {"stat": "zest", "amount": 0.3, "duration": 0.5},
            "tell_agent": {"target": foe, "event": "gong", "delay": 0.2},
            "tell_group": {"group": group, "event": "bell"},
            "raise_event": {"event": "gong", "delay": 0.3},
            "make_noise": {"loudness": 1.0, "what": "thud"},
            "say": {"text": "ho", "duration": 0.3},
            "clear": {"key": draw.choice((thing, foe, spot))},
            "set_point": {"key": spot, "target": anything},
            "set_text": {"key": KeyRef(key="named"), "text": "some"},
            "set_yes_no": {"key": KeyRef(key="seen"), "value": True},
            "look_about": {"duration": 0.4},
        }
        kind = draw.choice([*kinds])
        self._add(kind, under, **kinds[kind], **self._around(under))

    def _decorators(self) -> list[tuple[str, dict[str, Any]]]:
        return [
            *super()._decorators(),
            ("cooldown", {"duration": 0.6, "first": "cooling"}),
            (
                "cooldown",
                {
                    "duration": 0.6,
                    "ending": self.random.choice(("success", "failure")),
                },
            ),
        ]

    def _option(self, utility: str) -> str:
        draw = self.random
        group, held = draw.choice(
            (("loot", "thing"), ("guests", "foe"), ("crew", "foe"))
        )
        many: dict[str, Any] = (
            {"among": group, "target": KeyRef(key=held)}
            if draw.random() < 0.7
            else {}
        )
        guard = {"guard": self.condition()} if draw.random() < 0.3 else {}
        combine = draw.choice(("product", "mean", "minimum", "weighted sum"))
        option = self._add("option", utility, combine=combine, **many, **guard)
        for _ in range(draw.randrange(0, 3)):
            number = draw.choice(
                (f"distance({held})", "stat('zest') * 4", "near")
            )
            curve = {"shape": "linear", "flipped": draw.random() < 0.5}
            self._add("consider", option, input=number, high=9.0, curve=curve)
        return option


class ChartProject(RandomProject):
    """One whose machines hold states within states, regions that run side by
    side, and what is done on the way.
    """

    composites = ("machine", "machine", "selector", "parallel")

    def composite(self, under: str | None, kind: str, depth: int) -> None:
        if under is None:
            kind = "machine"
        super().composite(under, kind, depth)

    def _states(self, machine: str, depth: int) -> None:
        tops = self._inside(machine, depth, 0)
        if self.random.random() < 0.5:
            self._transition(machine, self.random.choice(tops))

    def _inside(self, around: str, depth: int, level: int) -> list[str]:
        """The states in one: they lead to each other."""
        draw = self.random
        states = {
            self._add(kind, around, **self._shaped(kind)): kind
            for kind in self._kinds(level)
        }
        for state, kind in states.items():
            if kind in ("final", "history"):
                continue
            for _ in range(draw.randrange(0, 3)):
                self._transition(state, draw.choice([*states]))
            if kind == "regions":
                for _ in range(2):
                    region = self._add("state", state)
                    self._inside(region, depth, level + 1)
            else:
                self._fill(state, depth, level)
        return [*states]

    def _kinds(self, level: int) -> list[str]:
        draw = self.random
        # A machine itself is never left, so it has no history.
        others = ["state", "state", "final"] + ["history"] * (level > 0)
        kinds = ["state"] + [
            draw.choice(others) for _ in range(draw.randrange(1, 3))
        ]
        if level < 2 and draw.random() < 0.4:
            kinds.insert(draw.randrange(2), "regions")
        return kinds

    def _shaped(self, kind: str) -> dict[str, Any]:
        draw = self.random
        if kind == "history":
            return {"depth": draw.choice(("shallow", "deep"))}
        if kind == "final":
            return {"result": draw.choice(("success", "failure"))}
        if kind == "state" and draw.random() < 0.2:
            return {"leaving": "when it is done"}
        return {}

    def _fill(self, state: str, depth: int, level: int) -> None:
        draw = self.random
        if level < 2 and draw.random() < 0.3:
            self._inside(state, depth, level + 1)
        elif draw.random() < 0.7:
            self.tree(state, depth + 2)
        if draw.random() < 0.3:
            hook = self._add(draw.choice(("on_enter", "on_leave")), state)
            self._add("count", hook, key=KeyRef(key="mood"), amount=1.0)
