"""Who wrote the keys that a condition read, and when."""

from tests.kinds import CATALOG
from tests.small import key, played, project, row
from umbrant.model.behaviors import Key, Sharing, Watch
from umbrant.model.documents import Project
from umbrant.model.staging import Member
from umbrant.model.values import KeyType
from umbrant.reasons.why import Explainer


def explainer(made: Project) -> Explainer:
    return Explainer(played(made), "a", CATALOG)


def test_a_key_that_several_share_names_who_of_them_wrote_it() -> None:
    alert = Key(
        name="alert", type=KeyType.NUMBER, default=0.0, scope=Sharing.WORLD
    )
    is_z = Key(name="is_z", type=KeyType.YES_NO, default=False)
    z = Member(name="z", behavior="b", start=(1.0, 1.0), keys={"is_z": True})
    rows = (
        row("top", "selector"),
        row("r1", "last", "top", name="Run", ticks=9, guard="alert > 0.5"),
        row("r2", "count", "top", guard="is_z", key=key("alert"), amount=0.4),
        row("r3", "last", "top", name="Idle", ticks=0),
    )
    take = played(project(*rows, cast=(z,), keys=(alert, is_z), seconds=0.6))
    explains = Explainer(take, "a", CATALOG)
    assert [explains.why_not(tick, "r1").lines[0].text for tick in (0, 1)] == [
        # It asked before the other one wrote, at this tick and at the next.
        "Run was refused: alert is 0, not above 0.5. It has not run before in "
        "this take.",
        "Run was refused: alert is 0.4, not above 0.5; alert became 0.4 0.10 s "
        "ago by z’s 1.2. It has not run before in this take.",
    ]
    headline = explains.why(3).headline
    assert headline is not None
    assert headline.text == (
        "a is at Run, since 0.20 s, because Idle was done, and alert was 0.8, "
        "above 0.5; alert became 0.8 0.20 s ago by z’s 1.2."
    )


def test_what_is_written_only_after_a_key_was_read_is_not_what_was_read() -> (
    None
):
    rows = (
        row("top", "selector"),
        row("r1", "last", "top", name="Run", ticks=9, guard="n > 1.5"),
        row("r2", "count", "top", name="Add", key=key("n"), amount=1.0),
    )
    keys = (Key(name="n", type=KeyType.NUMBER, default=0.0),)
    explains = explainer(project(*rows, keys=keys, seconds=0.6))
    assert [explains.why_not(tick, "r1").lines[0].text for tick in (0, 1)] == [
        "Run was refused: n is 0, not above 1.5. It has not run before in "
        "this take.",
        "Run was refused: n is 1, not above 1.5; n became 1 0.10 s ago by 1.2. "
        "It has not run before in this take.",
    ]


def test_transitions_are_asked_before_the_upkeep_of_their_states() -> None:
    adds = [("count", 0.1, {"key": key("n"), "amount": 1.0})]
    rows = (
        row(
            "mm",
            "machine",
            name="Mood",
            upkeep=[("clear", 9.0, {"key": key("m")})],
        ),
        row("s1", "state", "mm", name="Calm", upkeep=adds),
        row("t1", "when", "s1", when="n > 5", to="s2", name="Enough"),
        row("t2", "when", "s1", when="is_set(m)", to="s2", name="Any"),
        row("s2", "state", "mm", name="Done"),
    )
    keys = (
        Key(name="n", type=KeyType.NUMBER, default=0.0),
        Key(name="m", type=KeyType.NUMBER, default=1.0),
    )
    explains = explainer(project(*rows, keys=keys, seconds=0.6))
    texts = [explains.why_not(0, each).lines[0].text for each in ("t1", "t2")]
    assert texts[0].startswith("Enough leads to Done: n is 0, not above 5.")
    # The machine has done its own upkeep by then.
    assert texts[1].startswith(
        "Any leads to Done: m is not set; m became not set at this tick by 1 "
        "upkeep."
    )
    assert "n is 2, not above 5; n became 2 0.10 s ago by 1.1 upkeep" in (
        explains.why_not(2, "t1").lines[0].text
    )


def test_a_key_that_is_written_again_as_it_was_says_when_it_was_last() -> None:
    rows = (
        row("top", "parallel", successes=0, failures=0),
        row("sq", "sequence", "top"),
        row("w1", "set_number", "sq", key=key("n"), value=1.0),
        row("w2", "last", "sq", ticks=2),
        row("w3", "set_number", "sq", key=key("n"), value=1.0),
        row("w4", "last", "sq", ticks=90),
        row("se", "selector", "top"),
        row(
            "r1",
            "last",
            "se",
            name="Late",
            ticks=90,
            guard=("time_since(n) > 0.25", Watch.TAKE_OVER),
        ),
        row("r2", "last", "se", ticks=90),
    )
    keys = (Key(name="n", type=KeyType.NUMBER, default=0.0),)
    explains = explainer(project(*rows, keys=keys, seconds=1.2))
    texts = [explains.why_not(tick, "r1").lines[0].text for tick in (1, 3)]
    assert "0.1 s, not above 0.25 s; n became 1 0.10 s ago by" in texts[0]
    assert "last written" not in texts[0]
    assert (
        "0.1 s, not above 0.25 s; n became 1 0.30 s ago by 1.1.1, and was "
        "last written so 0.10 s ago"
    ) in texts[1]


def test_a_key_with_a_formula_is_followed_to_what_changed_in_it() -> None:
    rows = (
        row("top", "selector"),
        row("r1", "last", "top", name="Run", ticks=9, guard="danger > 1.5"),
        row("r2", "count", "top", name="Add", key=key("n"), amount=1.0),
    )
    keys = (
        Key(name="n", type=KeyType.NUMBER, default=0.0),
        Key(name="m", type=KeyType.NUMBER, default=0.5),
        Key(name="half", type=KeyType.NUMBER, formula="n / 2"),
        Key(name="danger", type=KeyType.NUMBER, formula="half + m"),
    )
    explains = explainer(project(*rows, keys=keys, seconds=0.6))
    texts = [explains.why_not(tick, "r1").lines[0].text for tick in (0, 1)]
    assert texts == [
        # That was before anything had changed, within the first tick.
        "Run was refused: danger is 0.5, not above 1.5. It has not run before "
        "in this take.",
        "Run was refused: danger is 1, not above 1.5; danger is half + m; half "
        "is n / 2; n became 1 0.10 s ago by 1.2. It has not run before in this "
        "take.",
    ]
    claims = explains.why_not(1, "r1").lines[0].claims
    assert ("wrote", "r2", 0) in [
        (each.kind, each.row_id, each.tick) for each in claims
    ]


def test_only_of_what_is_in_the_way_it_is_said_that_its_writer_has_not_run() -> (
    None
):
    rows = (
        row("top", "selector"),
        row("r1", "last", "top", name="Run", ticks=2, guard="n < 1"),
        row("r2", "last", "top", name="Rest", ticks=0, guard="n > 1"),
        row("r3", "count", "top", name="Add", key=key("n"), amount=1.0),
    )
    keys = (Key(name="n", type=KeyType.NUMBER, default=0.0),)
    explains = explainer(project(*rows, keys=keys, seconds=0.6))
    headline = explains.why(1).headline
    assert headline is not None
    assert headline.text == (
        "a is at Run, since 0.00 s, because n was 0, below 1."
    )
