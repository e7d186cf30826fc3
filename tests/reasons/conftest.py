"""What the tests of the reasons share."""

import pytest

from tests.conftest import DEMO
from umbrant.catalog.validation import open_project
from umbrant.rolling.roll import RollOrder, roll
from umbrant.take.reader import Take, read_take


@pytest.fixture(scope="session")
def demo_take(tmp_path_factory: pytest.TempPathFactory) -> Take:
    path = tmp_path_factory.mktemp("take") / "demo.take"
    return read_take(roll(RollOrder(open_project(DEMO), "dusk", path)))
