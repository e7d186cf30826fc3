"""Where things of a project are used."""

import pytest

from tests.conftest import DEMO
from umbrant.catalog.builtin import BUILTIN
from umbrant.catalog.uses import Use, has_uses, uses_of
from umbrant.catalog.validation import open_project
from umbrant.model.expanded import expand_behavior
from umbrant.model.paths import Path, at

QUAY = open_project(DEMO)


def path_of(collection: Path, name: str) -> Path:
    """The path of what has a name in a list."""
    names = [each.name for each in at(QUAY, collection)]
    return (*collection, names.index(name))


@pytest.mark.parametrize(
    "path", [("blackboards", "quay", "keys"), ("event_list", "events")]
)
def test_what_uses_a_thing_names_it(path: Path) -> None:
    for index, each in enumerate(at(QUAY, path)):
        found = uses_of(QUAY, BUILTIN, (*path, index))
        for use in found:
            if use.behavior:
                row = expand_behavior(QUAY, use.behavior).behavior.row(
                    use.row_id
                )
                assert each.name in row.model_dump_json()
            else:
                assert each.name in str(at(QUAY, use.path))


def test_a_key_leads_to_its_rows() -> None:
    found = uses_of(
        QUAY, BUILTIN, path_of(("blackboards", "quay", "keys"), "last_seen")
    )
    assert Use("warden", "chk") in found
    assert Use("warden", "go") in found
    assert Use("warden", "easy") not in found


def test_one_of_the_cast_leads_to_rows_cues_and_starting_keys() -> None:
    path = path_of(("scenarios", "dusk", "cast"), "visitor")
    found = uses_of(QUAY, BUILTIN, path)
    # The warden begins with a key that holds the name; its rows name the key.
    assert Use(path=("scenarios", "dusk", "cast", 0)) in found
    assert Use("warden", "esc") not in found
    assert path not in [use.path for use in found]


def test_a_place_that_nobody_names_is_used_nowhere() -> None:
    stage = QUAY.stages[0]
    used = {
        place.name: uses_of(
            QUAY, BUILTIN, ("stages", stage.name, "places", index)
        )
        for index, place in enumerate(stage.places)
    }
    named = {name for name, uses in used.items() if uses}
    assert named
    written = "".join(
        each.model_dump_json() for each in (*QUAY.behaviors, *QUAY.scenarios)
    )
    for name in used:
        assert (name in named) <= (f'"{name}"' in written or name in written)


@pytest.mark.parametrize(
    "path", [("cover",), (), ("stages",), ("scenarios", "dusk", "cues", 0)]
)
def test_what_has_no_name_has_no_uses(path: Path) -> None:
    assert not has_uses(path)
    assert uses_of(QUAY, BUILTIN, path) == []


def test_a_path_to_nothing_has_no_uses() -> None:
    assert uses_of(QUAY, BUILTIN, ("blackboards", "quay", "keys", 999)) == []
