"""A supervisor that goes on from the last snapshot of all, however early an
edit matters.
"""

from umbrant.rolling import supervisor
from umbrant.rolling.resuming import OrderChange
from umbrant.rolling.snapshots import Snapshot, TakeHistory


def last_of_all(history: TakeHistory, change: OrderChange) -> Snapshot | None:
    return max(history.snapshots, key=lambda each: each.tick, default=None)


if __name__ == "__main__":
    TakeHistory.snapshot_for = last_of_all  # type: ignore[method-assign]
    supervisor.main()
