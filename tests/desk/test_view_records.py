"""A view is one record: what follows from it is found everywhere in the
window.
"""

import json
import os
import subprocess
import sys
from pathlib import Path

from tests.conftest import DEMO
from tests.desk.conftest import Driver
from tests.waiting import PATIENCE_S
from umbrant.desk.commands.registry import ACTIONS
from umbrant.desk.views.registry import VIEWS


def test_a_view_that_is_added_by_one_record_is_found_everywhere(
    tmp_path: Path,
) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "tests.desk.extra_view", DEMO],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        env={
            **os.environ,
            "HOME": str(tmp_path),
            "QT_QPA_PLATFORM": "offscreen",
        },
    )
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == {
        "tab": "Compass",
        "menu": ["Compass", "Ctrl+Alt+N", "Show where north is"],
        "heading": "north is up",
        "shown": True,
        "pane": True,
        "night": True,
        "offered": True,
        "closed": True,
    }


def test_ids_titles_and_keys_of_views_are_their_own() -> None:
    for names in ([spec.id for spec in VIEWS], [spec.title for spec in VIEWS]):
        assert len(set(names)) == len(names)
    shown = {action.id: action for action in ACTIONS}
    for spec in VIEWS:
        assert spec.is_tab == (spec.action in shown) == bool(spec.keys)
        if spec.is_tab:
            assert (shown[spec.action].keys, shown[spec.action].help) == (
                (spec.keys,),
                spec.help,
            )


def test_each_tab_has_a_line_about_what_it_shows(demo_driver: Driver) -> None:
    pane = demo_driver.pane
    for spec in VIEWS:
        if spec.is_tab:
            pane.actions_by_id[spec.action].trigger()
            tabs = pane.left if spec.id in pane.left.buttons else pane.right
            assert tabs.shown == spec.id
            assert tabs.view is pane.views[spec.id]
            assert tabs.heading()
