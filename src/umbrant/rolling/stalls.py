"""Finding out that a player takes too long for its task."""

import time
from dataclasses import dataclass

from umbrant.rolling.player_process import PlayerLink, PlayerProcess
from umbrant.rolling.roll_job import RollJob

STALLED_S = 120.0
"""How long a player may be at one tick. With thousands of agents one takes a
small part of that.
"""


@dataclass
class StallWatch:
    """What was seen last of the player that plays, and since when. All that a
    player tells of itself is in memory that it shares: it is never waited for.
    """

    _call: int = 0
    """The call of the project's own code that was seen last; 0 for none."""
    _tick: int = -1
    _call_since_s: float = 0.0
    _tick_since_s: float = 0.0

    def forget(self) -> None:
        """Another order is played from now on."""
        self._call, self._tick = 0, -1
        self._call_since_s = self._tick_since_s = time.monotonic()

    def why_end(self, player: PlayerLink, job: RollJob) -> str:
        """Why a player has to be ended that is at a job; empty where it need
        not be.
        """
        now_s = time.monotonic()
        if player.watch.call != self._call:
            self._call, self._call_since_s = player.watch.call, now_s
        if player.watch.ticks != self._tick:
            self._tick, self._tick_since_s = player.watch.ticks, now_s
        if job.stop_by_s is not None and now_s > job.stop_by_s:
            return job.stopped_because or "a newer order came"
        # Only who plays from the first tick runs code of a project.
        if isinstance(player, PlayerProcess) and self._call:
            place = player.watch.place
            limit_s = place.limit_s(job.limit_s)
            if now_s - self._call_since_s > limit_s:
                return (
                    f"{player.line_now()}: {place.called} did not come "
                    f"back within {limit_s:g} s, so it was ended."
                )
        if now_s - self._tick_since_s > STALLED_S and not job.is_rehearsal:
            return (
                f"One tick took longer than {STALLED_S:g} s, so the roll was "
                "ended. Is the scenario too large?"
            )
        return ""
