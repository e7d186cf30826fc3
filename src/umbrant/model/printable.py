"""Showing text from files and from a project's own code: short, on one line,
and harmless to a screen.
"""

import unicodedata

_HARMLESS = ("L", "M", "N", "P", "S")
"""The first letters of the Unicode categories of characters that are shown as
they are.
"""


_JOINERS = "\u200c\u200d"
"""They say how the letters beside them are joined, as some languages need it,
and turn nothing round.
"""


def printable(text: str, limit: int = 200) -> str:
    """The text with invisible characters escaped and cut to a length: control
    characters, marks that change the direction of writing (category Cf), and
    lone surrogates.
    """
    if len(text) <= limit:
        cut = text
    else:
        cut = f"{text[: limit - 1]}…"
    if cut.isascii() and cut.isprintable():
        return cut
    return "".join(
        each if each == " " or _is_harmless(each) else _escaped(each)
        for each in cut
    )


def escaped(text: str) -> str:
    """The text with the same escaped in each of its lines, and nothing cut."""
    return "\n".join(
        printable(line, len(line) + 1) for line in text.split("\n")
    )


def escaped_json(text: str) -> str:
    """JSON with the same escaped, in the way that JSON has for it."""
    return "".join(
        each if each in " \n" or _is_harmless(each) else _json_escape(each)
        for each in text
    )


def _json_escape(character: str) -> str:
    number = ord(character)
    if number < 0x10000:
        return f"\\u{number:04x}"
    high, low = divmod(number - 0x10000, 0x400)
    return f"\\u{0xD800 + high:04x}\\u{0xDC00 + low:04x}"


def _is_harmless(character: str) -> bool:
    return character in _JOINERS or unicodedata.category(character).startswith(
        _HARMLESS
    )


def _escaped(character: str) -> str:
    number = ord(character)
    if number < 0x100:
        return f"\\x{number:02x}"
    if number < 0x10000:
        return f"\\u{number:04x}"
    return f"\\U{number:08x}"


def a_or_an(word: object) -> str:
    """A word with the article before it: `a number`, `an agent`."""
    text = str(word)
    article = "a"
    if text[:1].lower() in "aeiou" and text:
        article = "an"
    return f"{article} {text}"
