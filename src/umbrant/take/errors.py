"""What goes wrong with the file of a take."""


class TakeError(Exception):
    """A take cannot be written or read. The message names the file and the way
    out.
    """
