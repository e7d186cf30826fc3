"""Reading JSON that anybody may have written: the value, or what is wrong with
the text and where.
"""

import json
from typing import Any

MOST_DIGITS = 20
"""How many characters a whole number may have; seeds have at most 19 digits.
"""


class JsonError(Exception):
    """Raised for text that is no JSON, or JSON that no document can hold.
    `remedy` is the way out.
    """

    def __init__(
        self, message: str, remedy: str = "Mend the JSON at this place."
    ) -> None:
        super().__init__(message)
        self.remedy = remedy


def read_json(text: str) -> Any:
    """The value that a text holds. Raises JsonError."""
    try:
        data = json.loads(
            text,
            parse_int=_integer,
            parse_float=_number,
            parse_constant=_no_number,
        )
        if "\\u" in text:
            _check_characters(data)
    except RecursionError:
        raise JsonError(
            "is nested too deeply to be a document of a project.",
            "Restore it.",
        ) from None
    except json.JSONDecodeError as error:
        raise _placed(error) from None
    return data


def _placed(error: json.JSONDecodeError) -> JsonError:
    open_string = (
        error.msg.startswith("Unterminated string")
        and "\n" not in error.doc[error.pos :].rstrip()
    )
    message = f"line {error.lineno}, column {error.colno}: {error.msg[:1].lower()}{error.msg[1:]}."
    if open_string or error.pos >= len(error.doc.rstrip()):
        return JsonError(
            message, "The file ends too early; restore the rest of it."
        )
    return JsonError(message)


def _integer(digits: str) -> int:
    if len(digits) > MOST_DIGITS:
        raise JsonError(
            f"holds a number of {len(digits)} digits; {MOST_DIGITS} is the most.",
            "Write a smaller number.",
        )
    return int(digits)


def _number(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise JsonError(
            f"holds the number {text[:30]}, which is too large.",
            "Write a smaller number.",
        )
    return value


def _no_number(name: str) -> float:
    raise JsonError(
        f"holds {name}, which is no number in JSON.", "Write a number."
    )


def _check_characters(data: Any) -> None:
    """Raise JsonError if there is half a character (a lone surrogate) in any
    text: no file could hold it.
    """
    try:
        json.dumps(data, ensure_ascii=False).encode()
    except UnicodeEncodeError as error:
        half = f"\\u{ord(error.object[error.start]):04x}"
        raise JsonError(
            f"holds {half}, which is half of a character.",
            "Remove it, or restore its other half.",
        ) from None
