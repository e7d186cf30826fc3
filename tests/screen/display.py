"""A display of one's own: a real X server without a monitor, a window manager,
and hands outside the program.
"""

import os
import shutil
import struct
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtGui import QImage

from tests.waiting import PATIENCE_S

ROOT = Path(__file__).parents[2]
WIDE, HIGH = 1280, 800
PROGRAMS = ("Xvfb", "openbox", "xdotool")


class Display:
    """An X server with a window manager, and what hands and eyes do there.
    Ends with `close`.
    """

    def __init__(self, folder: Path) -> None:
        missing = [each for each in PROGRAMS if shutil.which(each) is None]
        assert not missing, (
            f"{', '.join(missing)} is missing: sudo apt-get install xvfb openbox xdotool"
        )
        read, write = os.pipe()
        server = [
            "Xvfb",
            "-displayfd",
            str(write),
            "-screen",
            "0",
            f"{WIDE}x{HIGH}x24",
            "-fbdir",
            str(folder),
        ]
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        self._frames = folder / "Xvfb_screen0"
        self._processes = [
            subprocess.Popen(
                [*server, "-nolisten", "tcp"], pass_fds=[write], **quiet
            )
        ]  # type: ignore[call-overload]
        os.close(write)
        with os.fdopen(read) as output:
            self.name = f":{output.readline().strip()}"
        self._processes.append(
            subprocess.Popen(
                ["openbox", "--sm-disable"], env=self.environment(), **quiet
            )
        )  # type: ignore[call-overload]

    def environment(self, **more: str) -> dict[str, str]:
        """What a program is started with to be seen on this display."""
        kept = {
            name: value
            for name, value in os.environ.items()
            if not name.startswith(("QT_", "XDG_"))
        }
        return {**kept, "DISPLAY": self.name, "QT_QPA_PLATFORM": "xcb", **more}

    def close(self) -> None:
        """End the window manager and the server."""
        for process in reversed(self._processes):
            process.terminate()
            process.wait(PATIENCE_S)

    # hands

    def key(self, *keys: str) -> None:
        """Press keys, one after the other: 'ctrl+n', 'Return'."""
        self._do("key", "--delay", "60", *keys)

    def type(self, text: str) -> None:
        """Type a text."""
        self._do("type", "--delay", "25", text)

    def click(self, x: int, y: int) -> None:
        """Click at a place of the screen."""
        self._do("mousemove", str(x), str(y), "click", "1")

    # eyes

    def title(self) -> str:
        """The title of the window that has the keyboard; empty if none has."""
        found = subprocess.run(
            ["xdotool", "getactivewindow", "getwindowname"],
            env=self.environment(),
            capture_output=True,
            text=True,
            check=False,
        )
        return found.stdout.strip()

    def size(self) -> tuple[int, int]:
        """The width and height of the window that has the keyboard, without
        its frame.
        """
        output = subprocess.run(
            ["xdotool", "getactivewindow", "getwindowgeometry", "--shell"],
            env=self.environment(),
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        values = dict(line.split("=") for line in output.splitlines())
        return int(values["WIDTH"]), int(values["HEIGHT"])

    def picture(self) -> QImage:
        """What is on the screen. The server keeps it in a file, in the format
        of a window dump.
        """
        data = self._frames.read_bytes()
        numbers = struct.unpack(">25I", data[:100])
        start, wide, high, line, colours = (
            numbers[0],
            numbers[4],
            numbers[5],
            numbers[12],
            numbers[19],
        )
        pixels = data[start + 12 * colours :]
        return QImage(
            pixels, wide, high, line, QImage.Format.Format_RGB32
        ).copy()

    def wait(self, what: str, seen: Callable[[], bool]) -> None:
        """Wait until something is seen."""
        until = time.monotonic() + PATIENCE_S
        while not seen():
            assert time.monotonic() < until, (
                f"{what} was never seen; the window is '{self.title()}'"
            )
            time.sleep(0.1)

    def is_seen(self, seen: Callable[[], bool], within_s: float) -> bool:
        """Whether something is seen within so many seconds."""
        until = time.monotonic() + within_s
        while not seen() and time.monotonic() < until:
            time.sleep(0.1)
        return seen()

    def wait_for_title(self, title: str) -> None:
        """Wait until the window that has the keyboard is called so."""
        self.wait(f"the title '{title}'", lambda: self.title() == title)

    def rest(self) -> QImage:
        """Wait until nothing on the screen has changed for a while; what is to
        be seen then.
        """
        before = self.picture()
        until, quiet_since = time.monotonic() + PATIENCE_S, time.monotonic()
        while time.monotonic() - quiet_since < 0.8:
            assert time.monotonic() < until, "the screen never came to rest"
            time.sleep(0.1)
            now = self.picture()
            if now != before:
                before, quiet_since = now, time.monotonic()
        return before

    def _do(self, *words: str) -> None:
        subprocess.run(
            ["xdotool", *words],
            env=self.environment(),
            check=True,
            capture_output=True,
        )
