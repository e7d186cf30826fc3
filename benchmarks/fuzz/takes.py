"""Takes in which anything may be wrong: each is either said to be damaged, or
read, exported and explained.
"""

import random
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from benchmarks.fuzz.documents import EXAMPLES, LONGEST_S, readable, within
from benchmarks.fuzz.tally import Tally
from umbrant.desk.session.loader import Load, load
from umbrant.model.folder import read_project
from umbrant.reasons.now import now_value
from umbrant.reasons.why import Explainer
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.errors import TakeError
from umbrant.take.export import ExportFormat, export_text
from umbrant.take.reader import Take, read_take

TABLES = {
    "meta": ("name", "value"),
    "chunk": (
        "agent",
        "row",
        "part",
        "what",
        "ticks",
        "steps",
        "ends",
        "numbers",
        "more",
    ),
    "key": (
        "agent",
        "board",
        "key",
        "tick",
        "step",
        "value",
        "row",
        "part",
        "cause",
    ),
    "received": ("agent", "tick", "step", "event", "sender"),
    "raised": ("agent", "tick", "step", "event", "receiver", "row", "part"),
    "cue": ("tick", "cue", "agent"),
    "prop": ("prop", "tick", "x", "y", "carrier"),
    "said": ("agent", "tick", "step", "text"),
    "notice": ("agent", "tick", "what", "cause"),
    "pose": ("agent", "tick", "poses"),
    "level": ("prop", "tick", "levels"),
}
WEIGHTS = {"meta": 2, "chunk": 8, "key": 4, "pose": 2}
"""How much more often than the others these tables are attacked: there is more
in them.
"""
ODD: tuple[object, ...] = (
    None, "", "x", "*", "odo", "top", 0, 1, -1, 2**31, 2**63 - 1, -(2**63), 0.5, -0.0, 1e308, float("inf"), b"", b"\x00", b"\xff" * 4,
    b"\xff\xff\xff\x7f" * 3, b"\x00\x00\xc0\x7f" * 6, b"\x00\x00\x80\x7f" * 6, "[]", "[[]]", "[null]", "[[],[]]", "{", "{}", "[" * 5000,
    '{"kind":"guard"}', '[{"kind":"guard"}]', '[{"kind":"raised","line":{}}]', '[{"kind":"child","row":[1]}]', '[[0,true,1,2,null]]',
    "[[0,true,{},[],null]]", "[[1.0,2.0,\"m\",0.5]]", "[[null,null,5,1e999]]", "[[[1,2]]]", '[["a","b"]]', "complete", "\x1b[31m", "\u202e",
    "ran", "refused", "found", "progress", "way", "counted", "score", "count", "1e400", "9" * 5000, '"\\ud800"', "guard", "upkeep 0",
)  # fmt: skip
SCHEMAS = (
    "DROP TABLE {t}",
    "ALTER TABLE {t} RENAME TO other",
    "DROP TABLE {t}; CREATE VIEW {t} AS WITH RECURSIVE c(x) AS (VALUES(1) UNION ALL SELECT x+1 "
    "FROM c) SELECT {c} FROM c, pose, key",
    "CREATE TRIGGER tr AFTER INSERT ON {t} BEGIN SELECT 1; END",
    "DROP TABLE {t}; CREATE TABLE {t} (x GENERATED ALWAYS AS (zeroblob(1000000000)))",
    "CREATE TABLE other (x)",
    "DELETE FROM {t}",
    "INSERT INTO {t} SELECT * FROM {t}",
    "PRAGMA user_version = 7; PRAGMA journal_mode = WAL",
)


def bases(folder: Path) -> list[Path]:
    """Takes of the examples."""
    found = []
    for number, (name, seconds) in enumerate(
        (("first-steps", 8.0), ("lantern-quay", 4.0), ("own-game/cellar", 6.0))
    ):
        project = read_project(EXAMPLES / name)
        found.append(
            roll(
                RollOrder(
                    project,
                    project.cover.scenario,
                    folder / f"base{number}.take",
                    seconds=seconds,
                )
            )
        )
    return found


def attack(attempts: int, seed: int, folder: Path, tally: Tally) -> Tally:
    """Damage so many takes, and do with them all that the commands and the
    window do.
    """
    images = [each.read_bytes() for each in bases(folder)]
    path = folder / "damaged.take"

    def damaged() -> Iterator[tuple[str, Path]]:
        for number in range(attempts):
            rng = random.Random(f"{seed}/{number}")
            damage(rng, images, path)
            yield f"{seed}/{number}", path

    return tally.each(
        damaged(), lambda each: within(LONGEST_S, lambda: judged(each))
    )


def damage(rng: random.Random, images: list[bytes], path: Path) -> None:
    """Put a damaged take at a path: one of these, with something changed in
    its bytes or in its tables.
    """
    for each in path.parent.glob(f"{path.name}*"):
        each.unlink()
    data = bytearray(rng.choices(images, (6, 1, 3))[0])
    if rng.random() < 0.5:
        _scramble(rng, data)
        path.write_bytes(data)
    else:
        path.write_bytes(data)
        _change(rng, path)


def _scramble(rng: random.Random, data: bytearray) -> None:
    """Change bytes of the file, or move its pages about."""
    page = 4096
    how = rng.random()
    if how < 0.5:
        for _ in range(rng.choice((1, 1, 3, 10, 200))):
            at = (
                rng.randrange(len(data))
                if rng.random() < 0.6
                else rng.randrange(min(len(data), 200))
            )
            data[at] = rng.choice(
                (
                    0,
                    255,
                    rng.randrange(256),
                    data[at] ^ (1 << rng.randrange(8)),
                )
            )
    elif how < 0.65:
        del data[rng.randrange(len(data)) :]
    elif how < 0.8:
        one, other = (
            rng.randrange(len(data) // page) * page for _ in range(2)
        )
        data[one : one + page] = data[other : other + page]
    elif how < 0.9:
        at = rng.randrange(len(data))
        data[at : at + page] = (
            bytes(rng.choice((0, 255)) for _ in range(1)) * page
        )
    else:
        at = rng.randrange(len(data))
        data[at:at] = rng.randbytes(rng.choice((1, 100, page)))


def _change(rng: random.Random, path: Path) -> None:
    """Change what stands in the tables, or the tables."""
    with closing(sqlite3.connect(path, isolation_level=None)) as file:
        for _ in range(rng.choice((1, 1, 1, 2, 5))):
            table = rng.choices(
                list(TABLES), [WEIGHTS.get(each, 1) for each in TABLES]
            )[0]
            column = rng.choice(TABLES[table])
            try:
                if rng.random() < 0.15:
                    change = rng.choice(SCHEMAS).format(
                        t=table,
                        c=", ".join(f"x AS {each}" for each in TABLES[table]),
                    )
                    file.executescript(change)
                    return  # what is asked of such a table may never end
                order = "name" if table == "meta" else "rowid"
                select = (
                    f"SELECT {order}, {column} FROM {table} ORDER BY {order}"  # noqa: S608
                )
                rows = file.execute(select).fetchall()
                if not rows:
                    continue
                row, before = rng.choice(rows)
                value = _other(rng, before, [each for _, each in rows])
                change = f"UPDATE {table} SET {column} = ? WHERE {order} = ?"  # noqa: S608
                file.execute(change, (value, row))
            except (sqlite3.Error, OverflowError, UnicodeError):
                continue


def _other(rng: random.Random, before: object, others: list[object]) -> object:
    """A value to put in the place of another."""
    how = rng.random()
    if how < 0.4:
        return rng.choice(ODD)
    if how < 0.55:
        return rng.choice(others)
    if isinstance(before, bytes) and before:
        at = rng.randrange(len(before))
        return (
            before[:at]
            + rng.randbytes(rng.choice((0, 1, 4)))
            + before[at + rng.choice((0, 1, 4)) :]
        )
    if isinstance(before, str) and before:
        at = rng.randrange(len(before))
        return (
            before[:at]
            + rng.choice(
                ("", "1", "-", "[", "]", ",", "null", "1e99", '"', "{}")
            )
            + before[at + rng.choice((0, 1, 5)) :]
        )
    if isinstance(before, int | float):
        return before + rng.choice((-1, 1, 1000, -1000, 1e9))
    return rng.choice(ODD)


def judged(path: Path) -> str:
    """What goes wrong with a take; empty if nothing does, or if it is said to
    be damaged.
    """
    try:
        take = read_take(path)
    except TakeError as error:
        return readable(str(error))
    return _used(take)


def _used(take: Take) -> str:
    for form in ExportFormat:
        export_text(take, form)
    load(Load(take.path, take))
    ticks = sorted({0, take.last_tick // 2, take.last_tick})
    for name in list(take.agents)[:3]:
        if take.header.played.member(name).behavior is None:
            continue
        explainer = Explainer(take, name)
        for tick in ticks:
            _ = explainer.why(tick).text
            for row_id in list(explainer.outline.number)[:12]:
                _ = explainer.why_not(tick, row_id).text
                now_value(explainer, row_id, tick)
    return ""
