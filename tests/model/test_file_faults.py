"""What is wrong in a file that was written by hand: each fault is named once,
in the words of this program, with the way out.
"""

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO
from umbrant.catalog.validation import open_project
from umbrant.model.folder import document_texts, parse_project
from umbrant.model.problems import ProjectError

TEXTS = document_texts(open_project(DEMO))
DUSK, WARDEN, DOG = (
    "scenarios/dusk.json",
    "behaviors/warden.json",
    "blackboards/dog.json",
)
CUE = ("cues", 0, "does")
CLOSE_IN = ("rows", 2, "with")


def problems_of(file: str, path: tuple[int | str, ...], value: Any) -> str:
    """What is said of the demo with one value of a file replaced, a line for
    each problem; empty if nothing is wrong.
    """
    data = json.loads(TEXTS[file])
    place = data
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    try:
        parse_project({**TEXTS, file: json.dumps(data)})
    except ProjectError as error:
        return str(error)
    return ""


@pytest.mark.parametrize(
    ("file", "path", "value", "says"),
    [
        (
            DUSK,
            CUE,
            {"raises": 3},
            "`cues.0.does.raises`: should be text (it is 3).",
        ),
        (
            DUSK,
            CUE,
            "thunder",
            '`cues.0.does`: is nothing that can stand here (it is "thunder"). '
            'What can: {"raises": …}, {"sets": …}, {"moves": …, "to": …}, ',
        ),
        (
            DUSK,
            ("cast", 0, "start"),
            [1],
            "`cast.0.start`: should be two numbers, [x, y] (it is [1]).",
        ),
        (
            DUSK,
            ("cast", 0, "name"),
            "Odo the Great",
            "`cast.0.name`: write it with small letters, digits and _, a "
            'letter first (it is "Odo the Great").',
        ),
        (
            DUSK,
            ("seconds",),
            "long",
            '`seconds`: should be a number (it is "long").',
        ),
        (
            DUSK,
            ("seconds",),
            -3,
            "`seconds`: should be greater than 0 (it is -3).",
        ),
        (
            WARDEN,
            ("rows", 0, "id"),
            "K!",
            "row K! 'Keep the quay': `id`: write it with 2 to 12 small "
            'letters and digits (it is "K!").',
        ),
        (
            WARDEN,
            CLOSE_IN,
            {"target": [1, 2, 3]},
            "row close 'Close in': `with.target`: should be two numbers, "
            "[x, y] (it is [1, 2, 3]).",
        ),
        (
            WARDEN,
            CLOSE_IN,
            {"target": [1e9, 2]},
            "`with.target.0`: should be less than or equal to 1000000 (it is "
            "1000000000.0).",
        ),
        (
            WARDEN,
            CLOSE_IN,
            {"reach": {"mean": "x", "half_width": 1}},
            '`with.reach.mean`: should be a number (it is "x").',
        ),
        (
            WARDEN,
            CLOSE_IN,
            {"reach": None},
            "`with.reach`: is nothing that can stand here (it is null). What "
            'can: true or false, a number, text, [x, y], {"key": …}, '
            '{"place": …}, {"mean": …, "half_width": …}, {"shape": …}.',
        ),
        (
            WARDEN,
            CLOSE_IN,
            {"reach": {"sense": "stat", "with": {}}},
            "`with.reach`: is nothing that can stand here",
        ),
        (
            DUSK,
            ("cast", 0, "keys"),
            {"Bad Key": 1},
            "write it with small letters, digits and _, a letter first (it is "
            '"Bad Key").',
        ),
        (
            WARDEN,
            ("rows", 0),
            "x",
            'row number 1 in the file: should be an object in {} (it is "x").',
        ),
        (
            DOG,
            ("keys", 1, "default"),
            {"x": 1},
            "`keys.1.default`: is nothing that can stand here (it is "
            '{"x": 1}). What can: true or false, a number, text, [x, y].',
        ),
    ],
)
def test_a_fault_is_said_once_with_the_way_out(
    file: str, path: tuple[int | str, ...], value: object, says: str
) -> None:
    (line,) = problems_of(file, path, value).splitlines()
    assert line.startswith(file)
    assert says in line


def test_a_misspelt_field_is_answered_with_the_one_that_is_meant() -> None:
    said = problems_of(DUSK, CUE, {"raise": "thunder"}).splitlines()
    assert len(said) == 2
    assert (
        '`cues.0.does.raise`: is no field here (it is "thunder"). Did you '
        "mean 'raises'? Its fields: raises, to." in said[1]
    )
    (said_of_none,) = problems_of(DUSK, ("zzz",), 1).splitlines()
    assert "There are" not in said_of_none
    assert "Its fields: $schema, title, stage" in said_of_none


def places(data: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in the data of a file but its top."""
    inner = (
        data.items()
        if isinstance(data, dict)
        else enumerate(data)
        if isinstance(data, list)
        else ()
    )
    return [
        found
        for step, value in inner
        for found in [(*path, step), *places(value, (*path, step))]
    ]


PLACES = [
    (file, place)
    for file, text in sorted(TEXTS.items())
    if file.endswith(".json")
    for place in places(json.loads(text))
]
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=4),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["key", "raises", "mean", "points", "x"]),
            inner,
            max_size=2,
        )
    ),
    max_leaves=4,
)


@given(st.sampled_from(PLACES), ANYTHING)
def test_whatever_stands_in_a_file_is_explained_in_plain_words(
    where: tuple[str, tuple[Any, ...]], value: object
) -> None:
    said = problems_of(*where, value)
    for word in (
        "Input",
        "input ",
        "valid",
        "constrained",
        "pattern",
        "tuple",
    ):
        assert word not in said
