"""The recipes that come with the program. Each is declared here and nowhere
else.
"""

from umbrant.catalog.recipes.recipe import (
    LAST_SEEN,
    OTHER_PLACE,
    PLACE,
    PLACES,
    SEEN,
    TARGET,
    Blank,
    Recipe,
    key,
    looking_out,
    row,
)
from umbrant.model.behaviors import Key, Watch
from umbrant.model.values import Curve, KeyType, Shape, Spread

SPOT = Key(name="search_spot", type=KeyType.POINT, help="where to look next")
ENERGY = Key(
    name="tiredness",
    type=KeyType.NUMBER,
    low=0,
    high=1,
    default=0.2,
    help="1 is worn out",
)
HUNGER = Key(
    name="hunger",
    type=KeyType.NUMBER,
    low=0,
    high=1,
    default=0.4,
    help="1 is starving",
)
SOON = ("cooldown", {"duration": Spread(mean=6.0, half_width=2.0)})
RISES = Curve(shape=Shape.POWER, exponent=2.0)
FALLS = Curve(shape=Shape.LINEAR, flipped=True)

PATROL = Recipe(
    "patrol",
    "Patrol",
    (
        "patrol",
        "rounds",
        "watchman",
        "beat",
        "guard route",
        "walk the rounds",
        "sentry",
    ),
    "Walks from place to place, looks about at the end, and begins again.",
    row(
        "top",
        "sequence",
        "Patrol",
        row("go", "go_along", "Walk the rounds", places=PLACES),
        row(
            "look",
            "look_about",
            "Look about",
            duration=Spread(mean=2.0, half_width=0.5),
        ),
    ),
    blanks=(Blank("go", "places"), Blank("look", "duration")),
)

CHASE = Recipe(
    "chase",
    "Chase and give up",
    ("chase", "pursue", "hunt", "give up", "chase and give up", "lose track"),
    "Runs after a target as soon as it is near and in sight. Out of sight it goes to where it last "
    "saw it, looks about, and gives up, so that a row after it can run.",
    row(
        "top",
        "selector",
        "Chase and give up",
        row(
            "chase",
            "follow",
            "Chase",
            guard="target_seen",
            watch=Watch.THROUGHOUT,
            target=key(TARGET),
            distance=1.2,
            duration=20.0,
            pace="run",
        ),
        row(
            "search",
            "sequence",
            "Search",
            row(
                "there",
                "move_to",
                "Go there",
                target=key(LAST_SEEN),
                reach=0.6,
            ),
            row("look", "look_about", "Look about", duration=3.0),
            row("forget", "clear", "Give up", key=key(LAST_SEEN)),
        ),
        guard="can_see(target, within=10)",
        watch=Watch.TAKE_OVER,
        upkeep=(looking_out(),),
    ),
    (TARGET, SEEN, LAST_SEEN),
    (
        Blank("top", "when"),
        Blank("chase", "target"),
        Blank("look", "duration"),
    ),
)

GUARD_POST = Recipe(
    "guard",
    "Keep guard",
    (
        "guard",
        "keep guard",
        "watch a place",
        "stand guard",
        "protect",
        "defend",
        "post",
    ),
    "Stands at a place and looks about; whoever comes near is faced and warned.",
    row(
        "top",
        "selector",
        "Keep guard",
        row(
            "warn",
            "sequence",
            "Warn",
            row("face", "face", "Face it", target=key(TARGET)),
            row("halt", "say", "Halt", text="Halt!", decorators=(SOON,)),
            guard="distance(target) < 4",
            watch=Watch.TAKE_OVER,
        ),
        row(
            "stand",
            "sequence",
            "Stand",
            row("post", "move_to", "To the post", target=PLACE),
            row("look", "look_about", "Look about", duration=2.0),
        ),
    ),
    (TARGET,),
    (Blank("post", "target"), Blank("warn", "when"), Blank("halt", "text")),
)

FLEE = Recipe(
    "flee",
    "Flee and come back",
    (
        "flee",
        "run away",
        "escape",
        "afraid",
        "flee and come back",
        "panic",
        "coward",
    ),
    "Runs from a target that comes near, waits, and goes back to its place.",
    row(
        "top",
        "selector",
        "Flee and come back",
        row(
            "flee",
            "sequence",
            "Flee",
            row("away", "move_away", "Run", target=key(TARGET), distance=8.0),
            row(
                "breath",
                "wait",
                "Catch breath",
                duration=Spread(mean=2.0, half_width=0.5),
            ),
            guard="distance(target) < 4",
            watch=Watch.TAKE_OVER,
        ),
        row(
            "back",
            "sequence",
            "Come back",
            row("home", "move_to", "Go back", target=PLACE),
            row("rest", "wait", "Rest", duration=1.0),
        ),
    ),
    (TARGET,),
    (
        Blank("flee", "when"),
        Blank("away", "distance"),
        Blank("home", "target"),
    ),
)

STRIKE = Recipe(
    "strike",
    "Circle and strike",
    (
        "strike",
        "attack",
        "fight",
        "combat",
        "circle and strike",
        "melee",
        "duel",
        "hit and run",
    ),
    "Circles a target, goes in, strikes, and circles again.",
    row(
        "top",
        "sequence",
        "Circle and strike",
        row(
            "ring",
            "keep_ring",
            "Circle",
            target=key(TARGET),
            duration=3.0,
            pace="run",
        ),
        row(
            "in", "move_to", "Go in", target=key(TARGET), reach=1.0, pace="run"
        ),
        row("hit", "strike", "Strike", target=key(TARGET)),
    ),
    (TARGET,),
    (
        Blank("ring", "target"),
        Blank("ring", "distance"),
        Blank("hit", "amount"),
    ),
)

FOLLOW = Recipe(
    "follow",
    "Follow the leader",
    (
        "follow",
        "follow the leader",
        "companion",
        "escort",
        "squad",
        "pet",
        "stay close",
    ),
    "Keeps up with a leader, and stands by while it stands.",
    row(
        "top",
        "selector",
        "Follow the leader",
        row(
            "keep",
            "follow",
            "Keep up",
            guard="distance(target) > 2.5",
            watch=Watch.TAKE_OVER,
            target=key(TARGET),
            distance=1.5,
            duration=3.0,
        ),
        row(
            "by",
            "sequence",
            "Stand by",
            row("face", "face", "Face it", target=key(TARGET)),
            row("wait", "wait", "Stand", duration=1.0),
        ),
    ),
    (TARGET,),
    (
        Blank("keep", "target"),
        Blank("keep", "distance"),
        Blank("keep", "when"),
    ),
)

SEARCH = Recipe(
    "search",
    "Search the last seen place",
    (
        "search",
        "investigate",
        "last seen place",
        "look for",
        "lost sight",
        "seek",
    ),
    "Watches a target in sight. When it is gone, goes to where it was last seen, looks about there "
    "and at a spot near by, and forgets it.",
    row(
        "top",
        "sequence",
        "Search",
        row(
            "watch",
            "check",
            "Until it is gone",
            when="not target_seen",
            decorators=(("repeat_until", {"result": "success"}),),
        ),
        row("there", "move_to", "Go there", target=key(LAST_SEEN), reach=0.6),
        row("look", "look_about", "Look about", duration=2.0),
        row(
            "pick",
            "pick_point",
            "Where else?",
            target=key(LAST_SEEN),
            key=key(SPOT),
            least=1.5,
            most=4.0,
        ),
        row("on", "move_to", "Go on", target=key(SPOT)),
        row("again", "look_about", "Look again", duration=2.0),
        row("forget", "clear", "Forget it", key=key(LAST_SEEN)),
        guard="can_see(target)",
        watch=Watch.TAKE_OVER,
        upkeep=(looking_out(),),
    ),
    (TARGET, SEEN, LAST_SEEN, SPOT),
    (Blank("top", "when"), Blank("look", "duration"), Blank("pick", "most")),
)

CHATTER = Recipe(
    "chatter",
    "Idle chatter",
    (
        "chatter",
        "idle chatter",
        "talk",
        "bark",
        "idle",
        "mutter",
        "small talk",
        "dialogue",
    ),
    "Says one of several lines now and then.",
    row(
        "top",
        "sequence",
        "Idle chatter",
        row(
            "lines",
            "random_selector",
            "One of these",
            row("one", "say", "A line", text="Cold again."),
            row("two", "say", "Another", text="What was that?"),
            row("three", "say", "A third", text="Hm hm."),
        ),
        row(
            "pause", "wait", "Pause", duration=Spread(mean=4.0, half_width=2.0)
        ),
    ),
    blanks=(
        Blank("one", "text"),
        Blank("two", "text"),
        Blank("three", "text"),
        Blank("pause", "duration"),
    ),
)

HIDE = Recipe(
    "hide",
    "Hide until calm",
    (
        "hide",
        "hide until calm",
        "take cover",
        "ambush",
        "cover",
        "sneak",
        "lie low",
    ),
    "Takes cover from a target that it sees near by, and stays there until it has been out of "
    "sight for a while.",
    row(
        "top",
        "sequence",
        "Hide until calm",
        row(
            "cover",
            "take_cover",
            "Take cover",
            watcher=key(TARGET),
            within=10.0,
        ),
        row(
            "calm",
            "check",
            "Until all is calm",
            when="not target_seen and time_since(last_seen) > 4",
            decorators=(("repeat_until", {"result": "success"}),),
        ),
        guard="can_see(target, within=8)",
        watch=Watch.TAKE_OVER,
        upkeep=(looking_out(),),
    ),
    (TARGET, SEEN, LAST_SEEN),
    (Blank("top", "when"), Blank("cover", "watcher"), Blank("calm", "when")),
)

NEEDS = Recipe(
    "needs",
    "Work with needs",
    (
        "needs",
        "work with needs",
        "worker",
        "job",
        "daily routine",
        "villager",
        "farmer",
    ),
    "Works at one place; when it is worn out it rests at another first.",
    row(
        "top",
        "selector",
        "Work with needs",
        row(
            "rest",
            "sequence",
            "Rest",
            row("bed", "move_to", "Go to rest", target=OTHER_PLACE),
            row("sleep", "wait", "Sleep", duration=4.0),
            row("fresh", "set_number", "Be fresh", key=key(ENERGY), value=0.0),
            guard="tiredness > 0.8",
            watch=Watch.TAKE_OVER,
        ),
        row(
            "work",
            "sequence",
            "Work",
            row("go", "move_to", "Go to work", target=PLACE),
            row("do", "wait", "Work", duration=3.0),
        ),
        upkeep=(("count", 1.0, {"key": key(ENERGY), "amount": 0.05}),),
    ),
    (ENERGY,),
    (Blank("go", "target"), Blank("bed", "target"), Blank("rest", "when")),
)

UTILITY = Recipe(
    "utility",
    "Utility for needs",
    (
        "utility for needs",
        "utility",
        "needs",
        "desires",
        "score needs",
        "household",
        "weigh needs",
    ),
    "Scores rest, food and work by how much each is needed, and does what is worth most.",
    row(
        "top",
        "utility",
        "Weigh the needs",
        row(
            "rest",
            "option",
            "Rest",
            row(
                "tired",
                "consider",
                "Tiredness",
                input="tiredness",
                curve=RISES,
            ),
            row("bed", "move_to", "Go to rest", target=OTHER_PLACE),
            row("sleep", "wait", "Sleep", duration=3.0),
            row("fresh", "set_number", "Be fresh", key=key(ENERGY), value=0.0),
        ),
        row(
            "eat",
            "option",
            "Eat",
            row("empty", "consider", "Hunger", input="hunger", curve=RISES),
            row("table", "move_to", "Go to eat", target=PLACE),
            row("meal", "wait", "Eat", duration=2.0),
            row("full", "set_number", "Be full", key=key(HUNGER), value=0.0),
        ),
        row(
            "work",
            "option",
            "Work",
            row(
                "able",
                "consider",
                "Fresh enough",
                input="tiredness",
                curve=FALLS,
            ),
            row("do", "wait", "Work", duration=2.0),
            weight=0.5,
        ),
        upkeep=(
            ("count", 1.0, {"key": key(ENERGY), "amount": 0.05}),
            ("count", 1.0, {"key": key(HUNGER), "amount": 0.04}),
        ),
        stay_bonus=0.1,
    ),
    (ENERGY, HUNGER),
    (
        Blank("bed", "target"),
        Blank("table", "target"),
        Blank("top", "stay_bonus"),
    ),
)

BANDS = Recipe(
    "bands",
    "Three bands by distance",
    (
        "three bands",
        "bands",
        "distance bands",
        "near and far",
        "states by distance",
        "enemy states",
    ),
    "Idles far from a target, goes nearer at a middle distance, and strikes close by. Each border "
    "is left a little further out than it was entered, so that it does not flip.",
    row(
        "top",
        "machine",
        "Three bands",
        row(
            "far",
            "state",
            "Idle",
            row("seen", "when", "", when="distance(target) < 8", to="mid"),
            row("stand", "look_about", "Look about", duration=2.0),
        ),
        row(
            "mid",
            "state",
            "Approach",
            row("close", "when", "", when="distance(target) < 1.5", to="near"),
            row("lost", "when", "", when="distance(target) > 9", to="far"),
            row(
                "go",
                "follow",
                "Go nearer",
                target=key(TARGET),
                distance=1.0,
                pace="run",
            ),
        ),
        row(
            "near",
            "state",
            "Strike",
            row("out", "when", "", when="distance(target) > 2.5", to="mid"),
            row(
                "hits",
                "sequence",
                "Strike",
                row("hit", "strike", "Strike", target=key(TARGET), reach=2.5),
                row("pause", "wait", "Pause", duration=1.0),
                decorators=(
                    ("always_succeed", {}),
                    ("repeat_until", {"result": "failure"}),
                ),
            ),
        ),
    ),
    (TARGET,),
    (Blank("go", "target"), Blank("seen", "when"), Blank("close", "when")),
)

RECIPES: tuple[Recipe, ...] = (
    PATROL,
    CHASE,
    GUARD_POST,
    FLEE,
    STRIKE,
    FOLLOW,
    SEARCH,
    CHATTER,
    HIDE,
    NEEDS,
    UTILITY,
    BANDS,
)
"""All recipes, in the order in which they are listed."""
