"""A project's own nodes: read without running them, run once trusted, and told
of with file and line when they fail.
"""

import json
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest

from tests.small import key, project, record, refusals, row, spans, values
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.causes import Cause
from umbrant.catalog.params import ParamType
from umbrant.catalog.validation import validate
from umbrant.model.behaviors import Key, NodeFile, Watch
from umbrant.model.documents import Project
from umbrant.model.problems import ProjectError
from umbrant.model.values import KeyType
from umbrant.project_code import running_catalog
from umbrant.project_nodes import fingerprint, project_catalog
from umbrant.review import review, review_take
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take

SMELL = '''
from umbrant.nodes import *

@condition("smells {source} within {reach}")
def smells(me: Agent, source: Place, *, reach: Metres = 4.0) -> bool:
    """Whether the smell of something reaches the agent.

    For: sniff, scent.

    source: what is smelled
    reach: how far the smell carries
    """
    there = source.at()
    return not isinstance(there, Cause) and distance_m(me.body.place, there) < reach

@action("ring the bell {strokes}[ {how}]")
def ring(me: Agent, *, strokes: Number = 3.0, how: Literal["softly", "loudly"] = "softly"):
    """Rings the bell.

    strokes: how often
    how: how loud
    """
    for _ in range(int(strokes)):
        yield
    return True

@sense("the tide", gives=KeyType.NUMBER, unit="m")
def tide(me: Agent) -> float:
    """How high the water stands."""
    return me.world.now_s
'''
N = Key(name="n", type=KeyType.NUMBER, default=0.0)


def with_nodes(made: Project, text: str = SMELL) -> Project:
    return made.model_copy(
        update={"nodes": (NodeFile(name="mine.py", text=text),)}
    )


def rolled(made: Project, *, trusted: bool = True) -> Take:
    with TemporaryDirectory() as folder:
        return read_take(
            roll(
                RollOrder(made, "s", Path(folder) / "t.take", trusted=trusted)
            )
        )


@pytest.mark.parametrize("runs", [True, False])
def test_own_nodes_are_declared_whether_they_may_run_or_not(
    runs: bool,
) -> None:
    made = with_nodes(project())
    own = project_catalog(made)
    assert own.problems == ()
    catalog = running_catalog(made, trusted=True) if runs else own.catalog
    smells, ring, tide = (
        catalog.kinds[name] for name in ("smells", "ring", "tide")
    )
    assert [param.type for param in smells.params] == [
        ParamType.PLACE,
        ParamType.NUMBER,
    ]
    assert smells.params[1].quantity.unit == "m"
    assert smells.own == "nodes/mine.py"
    assert smells.intents == ("sniff", "scent")
    assert (ring.takes_time, ring.params[1].choices) == (
        True,
        ("softly", "loudly"),
    )
    assert (tide.gives, tide.unit) == (KeyType.NUMBER, "m")


def test_own_nodes_run_in_rows_and_conditions_like_any_other() -> None:
    made = with_nodes(
        project(
            row("ss", "sequence", guard="tide() >= 0.2"),
            row("sm", "smells", "ss", source=(5.0, 5.0), reach=5.0),
            row("ri", "ring", "ss", strokes=2.0),
            seconds=0.6,
        )
    )
    assert validate(made, project_catalog(made).catalog) == []
    take = rolled(made)
    assert refusals(take, "ss") == [(0, 1, "guard")]
    assert spans(take, "ri")[0] == (2, 4, "success")


def test_nothing_of_an_untrusted_project_runs(tmp_path: Path) -> None:
    mark = tmp_path / "ran"
    text = f"import pathlib\npathlib.Path({str(mark)!r}).touch()\n" + SMELL
    made = with_nodes(project(row("ri", "ring"), seconds=0.2), text)
    own = project_catalog(made)
    assert validate(made, own.catalog) == []
    take = rolled(made, trusted=False)
    assert record(take, "ri").spans[0].cause.kind == "not_trusted"  # type: ignore[union-attr]
    assert not mark.exists()
    rolled(made)
    assert mark.exists()


@pytest.mark.parametrize(
    ("body", "said"),
    [
        (
            "raise RuntimeError('no bell')",
            "nodes/bad.py, line 7: RuntimeError: no bell",
        ),
        ("me.nothing", "nodes/bad.py, line 7: AttributeError"),
        ("return 17", "nodes/bad.py, line 4: it gave 17"),
    ],
)
def test_a_node_that_fails_fails_its_row_with_file_and_line(
    body: str, said: str
) -> None:
    head = 'from umbrant.nodes import *\n\n@action("bad")\ndef bad(me: Agent):\n    """Fails."""\n'
    text = f"{head}\n    {body}\n"
    made = project(
        row("ss", "selector"),
        row("ba", "bad", "ss"),
        row("ok", "wait", "ss", duration=5.0),
        seconds=0.3,
    )
    made = made.model_copy(
        update={"nodes": (NodeFile(name="bad.py", text=text),)}
    )
    take = rolled(made)
    cause = record(take, "ba").spans[0].cause
    assert cause is not None
    assert "".join(part for _, part in cause.parts()).startswith(said)
    assert spans(take, "ok") == [(0, None, None)], "the take goes on"
    found = [
        each
        for each in review_take(take, BUILTIN)["a"]
        if each.rule.id == "node_raised"
    ]
    assert [each.row_id for each in found] == ["ba"]
    assert found[0].message.startswith(f"At 0.00 s: {said}")


def test_hooks_are_called_once_as_the_row_is_entered_and_left() -> None:
    text = '''
from umbrant.nodes import *

@action("count into {key}")
def tally(me: Agent, key: NumberKey):
    """Runs on.

    key: the key
    """
    yield
    yield
    yield

@tally.entered
def begin(me, key):
    key.set(key.value + 1)

@tally.left
def end(me, how, key):
    key.set(key.value + {"success": 10, "stopped": 100}[how])
'''
    rows = [
        row("ss", "selector"),
        row(
            "gg",
            "wait",
            "ss",
            duration=9.0,
            guard=("time() > 0.55", "take over"),
        ),
    ]
    made = with_nodes(
        project(
            *rows,
            row("ta", "tally", "ss", key=key("n")),
            keys=(N,),
            seconds=1.0,
        ),
        text,
    )
    begun_done_begun_stopped = [1.0, 11.0, 12.0, 112.0]
    assert [
        value for _, value in values(rolled(made), "n") if value
    ] == begun_done_begun_stopped


def test_what_is_wrong_with_a_file_is_told_with_its_line() -> None:
    def reported(text: str) -> str:
        return " ".join(
            str(each)
            for each in project_catalog(with_nodes(project(), text)).problems
        )

    assert "nodes/mine.py: line 1" in reported("def (")
    assert reported("\n1 / 0\n") == "", "that shows when it is run"
    with pytest.raises(
        ProjectError, match=r"nodes/mine\.py: line 2: ZeroDivisionError"
    ):
        running_catalog(with_nodes(project(), "\n1 / 0\n"), trusted=True)
    assert "has no help" in reported(
        'from umbrant.nodes import *\n@action("x")\ndef x(me: Agent): ...\n'
    )
    clash = SMELL.replace("def ring", "def wait")
    assert "`wait` is the name of another node" in reported(clash)
    odd = 'from umbrant.nodes import *\n@action("x" + str(1))\ndef x(me: Agent):\n    """Help."""\n'
    assert "cannot be read without running it" in reported(odd)


def test_a_file_that_puts_something_else_in_a_nodes_place_is_told_of() -> None:
    with pytest.raises(ProjectError, match="`ring` is no node any more"):
        running_catalog(
            with_nodes(project(), SMELL + "\nring = 3\n"), trusted=True
        )


def test_a_fingerprint_stands_for_the_content() -> None:
    one, other = with_nodes(project()), with_nodes(project(), SMELL + "\n")
    assert fingerprint(project()) == ""
    assert fingerprint(one) == fingerprint(with_nodes(project()))
    assert fingerprint(one) != fingerprint(other)


def test_the_command_line_runs_own_nodes_only_when_told_to(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    from umbrant.cli import main
    from umbrant.model.folder import save_project

    made = with_nodes(project(row("ri", "ring"), seconds=0.3))
    save_project(made, tmp_path / "p")

    def run(*args: str) -> tuple[str, str]:
        argv = [
            "umbrant",
            "roll",
            str(tmp_path / "p"),
            "--out",
            str(tmp_path / "t.take"),
            "--json",
            *args,
        ]
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("sys.argv", argv)
            with pytest.raises(SystemExit):
                main()
        return capfd.readouterr()

    out, err = run()
    assert "--trust" in err
    assert json.loads(out)["ticks"] == 3
    assert record(read_take(tmp_path / "t.take"), "ri").spans[
        0
    ].cause == Cause("not_trusted")
    _, err = run("--trust")
    assert err == ""
    assert record(read_take(tmp_path / "t.take"), "ri").spans[0].cause is None


CHANGED_IN_PLACE = '''
from umbrant.nodes import *

told = Progress(9.0, 9.0, "steps")
high = Reading(False, 0.0)

@action("climb")
def climb(me: Agent):
    """Says how far it is with one and the same object."""
    while True:
        told.left = 9.0 - round(me.world.now_s * 10)
        yield told

@sense("high enough", gives=KeyType.YES_NO)
def high_enough(me: Agent) -> Reading:
    """Answers with one and the same object."""
    high.value = me.world.now_s > 0.25
    return high
'''


def test_own_code_may_change_what_it_gave_before() -> None:
    made = project(
        row("top", "selector"),
        row(
            "look",
            "wait",
            "top",
            guard=("high_enough()", Watch.TAKE_OVER),
            duration=9.0,
        ),
        row("up", "climb", "top"),
        seconds=0.6,
    )
    take = rolled(with_nodes(made, CHANGED_IN_PLACE))
    assert spans(take, "up") == [(0, 3, "stopped")]
    lefts = [
        done.left
        for tick in range(3)
        if (done := record(take, "up").done_at(tick)) is not None
    ]
    assert lefts == [9.0, 8.0, 7.0]
    found = record(take, "look").sensed["guard", 0]
    assert [
        (tick, each and each.truth)
        for tick, each in zip(found.ticks, found.values, strict=True)
    ] == [
        (0, False),
        (3, True),
    ]


@pytest.mark.parametrize(
    "annotation",
    [
        """ "open({mark!r}, 'w')" """,
        """ "Metres if open({mark!r}, 'w') else Metres" """,
        """ " 'open({plain}, 1)' " """,
        """ "[open({mark!r}, 'w') for _ in [0]]" """,
        """ "Literal['x', open({mark!r}, 'w')]" """,
        """ open({mark!r}, 'w') """,
        """ (lambda: open({mark!r}, 'w'))() """,
        """ f"{{open({mark!r}, 'w')}}" """,
    ],
)
def test_no_annotation_of_an_untrusted_project_is_run(
    tmp_path: Path, annotation: str
) -> None:
    mark = tmp_path / "ran"
    written = annotation.format(mark=str(mark), plain="0").strip()
    head = (
        'from umbrant.nodes import *\n\n@action("hum {x}")\n'
        f"def hum(me: Agent, *, x: {written} = 1):\n"
    )
    text = f'{head}    """Hums.\n\n    x: how\n    """\n    return True\n'
    made = with_nodes(project(row("hu", "hum"), seconds=0.2), text)
    own = project_catalog(made)
    assert "cannot be read without running it" in own.problems[0].message
    rolled(made, trusted=False)
    review(made, own.catalog)
    assert not mark.exists()


def test_a_type_may_be_written_in_quotes() -> None:
    text = SMELL.replace("reach: Metres = 4.0", 'reach: "Metres" = 4.0')
    own = project_catalog(with_nodes(project(row("ri", "ring")), text))
    assert own.problems == ()
    reach = own.catalog.kinds["smells"].param("reach")
    assert reach is not None
    assert reach.type is ParamType.NUMBER


@pytest.mark.parametrize(
    ("params", "says"),
    [
        ("x", "'x' has no type"),
        (
            "x: Metres = 'far'",
            "the default of 'x' is 'far', which it cannot hold",
        ),
        ("x: Literal['a', 'b'] = 'c'", "the default of 'x' is 'c'"),
        ("x: list = 1", "it holds list"),
        ("x: Metres = True", "the default of 'x' is True"),
        ("*x", "its phrase names 'x'"),
    ],
)
def test_a_parameter_that_no_chip_can_hold_is_told_of_with_its_line(
    params: str, says: str
) -> None:
    head = f'from umbrant.nodes import *\n\n@action("hum {{x}}")\ndef hum(me: Agent, {params}):\n'
    own = project_catalog(
        with_nodes(project(), f'{head}    """Hums.\n\n    x: x\n    """\n')
    )
    (reported,) = (str(each) for each in own.problems)
    assert reported.startswith("nodes/mine.py: line 4: ")
    assert says in reported
