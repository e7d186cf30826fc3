"""A recorder that hears of each row by its id."""

from functools import partial
from types import SimpleNamespace

from umbrant.catalog.causes import Cause
from umbrant.catalog.work import Status
from umbrant.engine.recorder import Running, Unrecorded


class ByRow(Unrecorded):
    """Hears when rows are entered and left."""

    def running(self, row_id: str) -> Running:
        return SimpleNamespace(
            entered=partial(self.entered, row_id), left=partial(self.left, row_id)
        )

    def entered(self, row_id: str) -> None: ...
    def left(self, row_id: str, status: Status | None, cause: Cause | None) -> None: ...
