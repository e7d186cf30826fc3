"""Reading Python that anybody may have written, without running it."""

import ast
import warnings


def parse_python(text: str, path: str) -> ast.Module:
    """The syntax tree of a Python file. Raises SyntaxError, or ValueError for
    text that is no Python at all. Warnings are left to whoever runs the file.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return ast.parse(text, path)
    except (RecursionError, MemoryError) as error:
        raise ValueError(
            f"it is nested too deeply ({type(error).__name__})"
        ) from None
