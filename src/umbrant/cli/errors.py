"""What ends a command early, each with the exit code that `main` gives it."""

from umbrant.model.printable import printable
from umbrant.take.reader import Take


class InputError(Exception):
    """Something in the input is wrong. The message names it and the way out; the program exits with
    1.
    """


class StoppedError(Exception):
    """A signal has stopped what was being done. `code` is what the program exits with."""

    def __init__(self, message: str, number: int) -> None:
        super().__init__(message)
        self.code = 128 + number


class CutShortError(Exception):
    """What was asked for has been done, with a take that was cut short. The program exits with
    3.
    """

    def __init__(self, take: Take) -> None:
        super().__init__(f"{take.path}: this take is not whole: {printable(take.ended, 500)}")
