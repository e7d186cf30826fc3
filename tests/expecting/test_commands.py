"""`umbrant find` and `umbrant expect`, as a shell and a CI service see them."""

import json
import shutil
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import pytest
from junitparser import Failure, JUnitXml

from tests.conftest import DEMO
from umbrant.catalog.validation import open_project
from umbrant.rolling.roll import RollOrder, roll


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("commands") / "dusk.take"
    return roll(RollOrder(open_project(DEMO), "dusk", path))


@pytest.fixture
def quay(tmp_path: Path) -> Path:
    return Path(shutil.copytree(DEMO, tmp_path / "quay"))


def test_find_lists_where_it_holds(umbrant: Any, take: Path) -> None:
    code, out, err = umbrant("find", take, "ran(1.1)")
    assert (code, err) == (0, "")
    assert "   10.30 s to" in out
    assert out.splitlines()[-1].startswith("3 times, ")
    code, out, _ = umbrant("find", take, "ran(1.1)", "--json")
    found = json.loads(out)
    assert found["agent"] == "odo"
    assert found["stretches"][0]["start"] == 206
    code, out, _ = umbrant("find", take, 'ran("Drink")', "--agent", "tam")
    assert code == 0
    assert "Drink" not in out


def test_find_says_a_single_tick_by_itself(umbrant: Any, take: Path) -> None:
    code, out, err = umbrant("find", take, "time() == 1")
    assert (code, err) == (0, "")
    assert out.splitlines() == [
        "    1.00 s  (tick 20)",
        "once, 0.05 s in all",
    ]


def test_find_says_when_it_holds_nowhere_and_what_is_wrong(
    umbrant: Any, take: Path
) -> None:
    assert umbrant("find", take, "time() > 100")[:2] == (
        1,
        "It holds at no tick.\n",
    )
    code, out, err = umbrant("find", take, "ran(9.9)")
    assert (code, out) == (1, "")
    assert "odo has no row '9.9'" in err
    code, _, err = umbrant("find", take, "ran(1)", "--agent", "odd")
    assert code == 1
    assert "Did you mean 'odo'?" in err


def begin_with_seed(quay: Path, seed: int) -> None:
    """Let the first seed at dusk be another one."""
    dusk = quay / "scenarios" / "dusk.json"
    text = dusk.read_text()
    assert '"seed": 11' in text
    dusk.write_text(text.replace('"seed": 11', f'"seed": {seed}'))


def test_find_looks_for_a_seed(
    umbrant: Any, quay: Path, tmp_path: Path
) -> None:
    begin_with_seed(quay, 14)
    out = tmp_path / "found.take"
    five = "entered(1.2) and time() > 39.6"
    code, said, err = umbrant(
        "find", quay, five, "--seeds", "12", "--out", out, "--json"
    )
    assert code == 0
    found = json.loads(said)
    assert f"seed {found['seed']}:" in err
    # It is the first such seed, and its take is kept.
    code, again, _ = umbrant("find", out, five, "--json")
    assert (code, json.loads(again)) == (0, found)
    before = found["seed"] - 14
    if before:
        assert umbrant("find", quay, five, "--seeds", before)[0] == 1
    code, said, _ = umbrant("find", quay, "time() > 100", "--seeds", "2")
    assert (code, said) == (1, "It holds in none of 2 seeds.\n")
    assert umbrant("find", quay, "ran(9.9)", "--seeds", "1")[0] == 1


def test_find_looks_for_a_number(
    umbrant: Any, quay: Path, tmp_path: Path
) -> None:
    """The first number with which it holds, seed by seed; its take is kept."""
    out, place = tmp_path / "found.take", "warden/1.1.guard.within"
    dusk = quay / "scenarios" / "dusk.json"
    dusk.write_text(dusk.read_text().replace('"seconds": 42', '"seconds": 12'))
    args = (
        "find",
        quay,
        "ran(1.1) and time() < 9",
        "--seeds",
        2,
        "--vary",
        f"{place}=6,8,16,20",
    )
    code, said, err = umbrant(*args, "--out", out, "--json")
    assert (code, err) == (0, f"seed 11, {place} = 16:\n")
    found = json.loads(said)
    assert (found["seed"], found["given"]) == (11, {place: 16.0})
    code, again, _ = umbrant("find", out, "ran(1.1) and time() < 9", "--json")
    assert code == 0
    assert {**json.loads(again), "given": found["given"]} == found
    few = (*args[:-1], f"{place}=6,7")
    assert umbrant(*few)[:2] == (1, "It holds in none of 4 takes.\n")
    for vary, says in (
        (f"{place}=1:9:0", "step"),
        ("warden/9.9.guard.within=1,2", "9.9"),
        (f"{place}=0:900:0.01", "9,000,100 takes; 100,000 is the most"),
    ):
        code, _, err = umbrant("find", quay, "ran(1.1)", "--vary", vary)
        assert code == 1
        assert says in err, (vary, err)


def test_find_asks_for_how_long(umbrant: Any, take: Path) -> None:
    _, out, _ = umbrant("find", take, "ran(1.1)", "--json")
    lengths = [
        each["end"] - each["start"] + 1
        for each in json.loads(out)["stretches"]
    ]
    middle = sorted(lengths)[1]
    _, out, _ = umbrant(
        "find", take, "ran(1.1)", "--for", middle / 20, "--json"
    )
    assert len(json.loads(out)["stretches"]) == 2
    assert umbrant("find", take, "ran(1.1)", "--for", "41")[0] == 1


def test_expect_holds_in_the_demo(umbrant: Any) -> None:
    code, out, err = umbrant("expect", DEMO)
    assert err == ""
    lines = out.splitlines()
    # A share is not decided by a single take.
    assert code == 1
    assert lines[-1] == "12 of 13 expectations hold."
    (undecided,) = [line for line in lines if line.startswith("undecided")]
    assert "Mila restocks" in undecided
    assert "seeds would decide it" in out


def test_expect_finds_the_seed_that_breaks_it(
    umbrant: Any, quay: Path, tmp_path: Path
) -> None:
    for each in (quay / "expectations").glob("*.json"):
        if each.name not in ("he-forgets.json", "the-porter-drinks.json"):
            each.unlink()
    begin_with_seed(quay, 15)
    junit = tmp_path / "report.xml"
    code, out, err = umbrant(
        "expect", quay, "--seeds", "2", "--junit", junit, "--jobs", "2"
    )
    assert (code, err) == (1, "")
    assert "seed 16, 39.65 s, odo: entered(1.2) began 5 times" in out
    assert (
        f"umbrant roll {quay} --scenario dusk --seed 16 --out seed16.take"
        in out
    )
    assert "1 of 2 expectations hold." in out
    suites = ET.fromstring(junit.read_text())  # noqa: S314  (our own file)
    assert suites.tag == "testsuites"
    (suite,) = suites
    assert (
        suite.get("tests"),
        suite.get("failures"),
        suite.get("errors"),
    ) == (
        "2",
        "1",
        "0",
    )
    cases = {case.get("classname"): case for case in suite}
    failure = cases["expectations/he-forgets.json"].find("failure")
    assert failure is not None
    assert "seed 16, tick 793, odo" in str(failure.get("message"))
    assert len(cases["expectations/the-porter-drinks.json"]) == 0
    # A consumer of others, which knows the format, reads the same.
    report = JUnitXml.fromfile(str(junit))
    assert (report.tests, report.failures, report.errors, report.skipped) == (
        2,
        1,
        0,
        0,
    )
    results = {case.classname: case.result for read in report for case in read}
    (failed,) = results["expectations/he-forgets.json"]
    assert isinstance(failed, Failure)
    assert failed.message.startswith("seed 16, tick 793, odo")
    assert results["expectations/the-porter-drinks.json"] == []
    alone = umbrant("expect", quay, "--seeds", "2", "--json", "--jobs", "1")
    together = umbrant("expect", quay, "--seeds", "2", "--json", "--jobs", "3")
    assert alone == together
    found = {
        each["file"]: each for each in json.loads(alone[1])["expectations"]
    }
    assert found["expectations/he-forgets.json"]["broken"] == [
        {
            "seed": 16,
            "agent": "odo",
            "tick": 793,
            "says": "entered(1.2) began 5 times",
        }
    ]


def test_expect_in_trouble_says_what_is_wrong(
    umbrant: Any, quay: Path, tmp_path: Path
) -> None:
    folder = quay / "expectations"
    (folder / "a.json").write_text(
        '{"expect": "never", "that": "ran(9.9)", "of": "odo"}'
    )
    code, out, err = umbrant("expect", quay)
    assert (code, out) == (2, "")
    assert "expectations/a.json: odo has no row '9.9'" in err
    (folder / "a.json").write_text('{"expect": "never"}')
    code, _, err = umbrant("expect", quay)
    assert code == 2
    assert "expectations/a.json" in err
    assert "that" in err
    (folder / "a.json").unlink()
    assert umbrant("expect", quay, "--scenario", "dawn")[0] == 2
    (tmp_path / "file").write_text("no folder")
    assert (
        umbrant("expect", quay, "--junit", tmp_path / "file" / "report.xml")[0]
        == 2
    )
    shutil.rmtree(folder)
    code, _, err = umbrant("expect", quay)
    assert code == 2
    assert "there are no expectations" in err
    assert umbrant("expect", tmp_path / "nowhere")[0] == 2
