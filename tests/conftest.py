"""What every test gets: folders of its own instead of the author's, and no
error that goes unnoticed.
"""

import gc
import logging
import os
import shutil
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

from umbrant import cli

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

# A busy machine is no fault of a test; on CI the same examples are tried each
# time, elsewhere new ones.
settings.register_profile(
    "house",
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow],
    max_examples=60,
    derandomize=os.environ.get("CI") == "true",
)
settings.load_profile("house")

YOUNG = 20_000
"""How many new objects begin a search for garbage. Python's own number has a
fifth of the time of all tests go into it, for each makes thousands of things
that live until its end.
"""

DEMO = Path(__file__).parents[1] / "examples" / "lantern-quay"


def pytest_collection_finish() -> None:
    """Leave all that was imported out of every search for garbage."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(YOUNG, *gc.get_threshold()[1:])


@pytest.fixture(autouse=True)
def own_folders(
    tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch
) -> Path:
    """Configuration, state and cache in a folder of the test's own."""
    home = tmp_path_factory.mktemp("home")
    for name in ("CONFIG", "STATE", "CACHE", "DATA"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(home / name.lower()))
    return home


@pytest.fixture(autouse=True)
def no_hidden_errors(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[str]]:
    """An exception that reaches only `sys.excepthook`, or an error in the log,
    fails the test. Has a list for the beginnings of those that have to be
    logged.
    """
    caught: list[BaseException] = []
    monkeypatch.setattr(
        sys, "excepthook", lambda kind, error, trace: caught.append(error)
    )
    records: list[logging.LogRecord] = []

    class Listener(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            records.append(record)

    listener = Listener(logging.ERROR)
    logging.getLogger("umbrant").addHandler(listener)
    expected: list[str] = []
    yield expected
    logging.getLogger("umbrant").removeHandler(listener)
    assert caught == []
    messages = [record.getMessage() for record in records]
    assert [
        each for each in messages if not each.startswith(tuple(expected))
    ] == []
    assert all(
        any(each.startswith(start) for each in messages) for start in expected
    )


@pytest.fixture
def umbrant(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> Any:
    """Runs a command of the program; gives its exit code, stdout and stderr."""

    def run(*args: object) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "argv", ["umbrant", *map(str, args)])
        with pytest.raises(SystemExit) as ended:
            cli.main()
        out, err = capsys.readouterr()
        return int(ended.value.code or 0), out, err

    return run


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    """A copy of the demo project that a test may change."""
    return Path(shutil.copytree(DEMO, tmp_path / "lantern-quay"))
