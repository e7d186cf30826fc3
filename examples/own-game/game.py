"""A cellar at night: a small text game whose rat is run by a behavior written with Umbrant.

    python examples/own-game/game.py            you carry the lantern: w a s d and Enter, q leaves
    python examples/own-game/game.py --watch    the lantern walks by itself, sixty turns

Each turn is half a second for the rat. The take lies in `cellar.take`: `umbrant open
examples/own-game/cellar` and Project › Open take… show what it did and why.
"""

import sys
from pathlib import Path

from umbrant import PlainBody, PlainWorld, load_behavior

HERE = Path(__file__).parent
WIDE, HIGH, TURNS = 24, 9, 60
STEPS = {"w": (0, 1), "s": (0, -1), "a": (-1, 0), "d": (1, 0)}
ROUND = "d" * 16 + "w" * 5 + "a" * 16 + "s" * 5


class Cellar(PlainWorld):
    """The game's own world: squares of one metre, a rat, a lantern, and crumbs."""

    def __init__(self) -> None:
        super().__init__(tick_s=0.5)
        self.rat = self.add(PlainBody("rat", (20.0, 7.0)))
        self.lantern = self.add(PlainBody("lantern", (3.0, 2.0)))
        self.crumbs = {(6.0, 7.0), (12.0, 4.0), (18.0, 2.0), (21.0, 6.0)}
        self.eaten = 0

    def nearest_crumb(self) -> tuple[float, float] | None:
        """Asked by the game's own nodes."""
        x, y = self.rat.place
        return min(
            sorted(self.crumbs),
            key=lambda at: abs(at[0] - x) + abs(at[1] - y),
            default=None,
        )

    def eat(self) -> bool:
        """Asked by the game's own nodes: eat the crumb the rat stands on."""
        here = (round(self.rat.place[0]), round(self.rat.place[1]))
        if here in self.crumbs:
            self.crumbs.remove(here)
            self.eaten += 1
            return True
        return False

    def walk(self, step: tuple[int, int]) -> None:
        """Move the lantern, inside the walls."""
        x, y = self.lantern.place
        self.lantern.place = (
            min(WIDE - 1.0, max(0.0, x + step[0])),
            min(HIGH - 1.0, max(0.0, y + step[1])),
        )

    def drawn(self) -> str:
        """The cellar as text, north up."""
        rows = []
        for y in reversed(range(HIGH)):
            squares = ["." for _ in range(WIDE)]
            for cx, cy in self.crumbs:
                if cy == y:
                    squares[int(cx)] = "*"
            for body, sign in ((self.rat, "r"), (self.lantern, "@")):
                if round(body.place[1]) == y:
                    squares[round(body.place[0])] = sign
            rows.append("".join(squares))
        return "\n".join(rows)


def asked(cellar: Cellar) -> str:
    """What the player types; the end of the input ends the game, as `q` does."""
    try:
        return input(f"{cellar.drawn()}\n> ").strip().lower()
    except EOFError:
        return "q"


def main() -> None:
    """Play it."""
    watch = "--watch" in sys.argv
    cellar = Cellar()
    keys = {"lantern": "lantern"}
    record = Path("cellar.take")
    with load_behavior(
        HERE / "cellar",
        "rat",
        cellar,
        name="rat",
        keys=keys,
        trust=True,
        record=record,
    ) as rat:
        for turn in range(TURNS if watch else 10_000):
            typed = ROUND[turn % len(ROUND)] if watch else asked(cellar)
            if typed == "q":
                break
            cellar.walk(STEPS.get(typed, (0, 0)))
            rat.tick()
            cellar.now_s += cellar.tick_s
            for _, text in cellar.said:
                print(f"The rat: {text}")
            cellar.said.clear()
        mood = rat.get("rat", "mood")
        print(
            f"{cellar.drawn()}\nThe rat ate {cellar.eaten} crumbs; its mood is {mood}."
        )
    print(f"The take is in {record.resolve()}")


if __name__ == "__main__":
    main()
