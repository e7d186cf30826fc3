"""Recording a take and writing its file in one process: for games, and for
rolls that run no code of a stranger's.
"""

from pathlib import Path
from types import TracebackType

from umbrant.take.header import Header
from umbrant.take.recorder import TakeRecorder
from umbrant.take.tables import COMPLETE
from umbrant.take.take_file import TakeFile

FLUSH_S = 5.0
"""How many seconds of play a chunk has, if nothing else is said."""


class TakeWriter(TakeRecorder):
    """A recorder with a file of its own.

    Raises TakeError where the file cannot be written. Use as a context: an
    exception inside is noted in the file.
    """

    def __init__(
        self, path: Path, header: Header, flush_s: float = FLUSH_S
    ) -> None:
        self._file = TakeFile(path, header)
        super().__init__(
            header.ticks_per_s,
            round(flush_s * header.ticks_per_s),
            self._file.push,
            counts_only=header.counts_only,
        )
        self.path = path

    def __enter__(self) -> "TakeWriter":
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if error is None:
            self.close()
        else:
            self.close(f"{type(error).__name__}: {error}")

    def close(self, ended: str = COMPLETE) -> None:
        """Finish the file, with how the take ended. Raises TakeError."""
        self.end_chunk()
        self._file.close(ended)
