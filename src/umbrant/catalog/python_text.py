"""Reading Python that anybody may have written, without running it."""

import ast
import warnings


def parse_python(text: str, path: str) -> ast.Module:
    """The tree of a file. Raises SyntaxError, and ValueError for all else that cannot be read.

    What Python would warn of is for whoever runs the file.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return ast.parse(text, path)
    except (RecursionError, MemoryError) as error:
        raise ValueError(f"it is nested too deeply ({type(error).__name__})") from None
