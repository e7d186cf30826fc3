"""A recorder that hears of each row by its id."""

from functools import partial
from types import SimpleNamespace

from umbrant.catalog.causes import Cause
from umbrant.catalog.protocols import Status
from umbrant.engine.recorder import NullRecorder, RowLog


class ByRow(NullRecorder):
    """Hears when rows are entered and left."""

    def running(self, row_id: str) -> RowLog:
        return SimpleNamespace(
            entered=partial(self.entered, row_id),
            left=partial(self.left, row_id),
        )

    def entered(self, row_id: str) -> None: ...
    def left(
        self, row_id: str, status: Status | None, cause: Cause | None
    ) -> None: ...
