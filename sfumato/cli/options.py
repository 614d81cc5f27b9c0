"""What several commands share: their options, and refusals as one line."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Sequence
from functools import wraps
from pathlib import Path
from typing import Any

import click

PathArgument = click.Path(path_type=Path)


force_option = click.option("--force", is_flag=True, help="Replace OUT when it exists.")


json_option = click.option(
    "--json", "as_json", is_flag=True, help="Print one JSON object and nothing else."
)


grid_option = click.option("--grid", type=click.IntRange(2, 129), help="Points a side, 2 to 129.")


title_option = click.option("--title", help="The title that the file carries.")


format_option = click.option(
    "--format", "key", help="Name of the format; the suffix decides otherwise."
)


strength_option = click.option(
    "--strength", type=click.FloatRange(0, 200), default=100.0, help="0 to 200 percent."
)


bits_option = click.option(
    "--bits",
    type=click.Choice(["8", "10", "12", "16", "16f", "32"]),
    help="Depth of the numbers, where OUT has a choice; 16f is half float, 32 is float.",
)


reading_option = click.option(
    "--as",
    "reading",
    default="",
    help="How to take IN where there are several ways; `sfumato assay` lists them.",
)


fitted_option = click.option(
    "--fitted", is_flag=True, help="Fit the grid to colours between its nodes; kept only if better."
)


layout_option = click.option("--layout", default="", help="Arrangement, where OUT has a choice.")


_PRINT = (
    click.option(
        "--intent",
        type=click.Choice(["perceptual", "relative", "saturation", "absolute"]),
        default="relative",
        show_default=True,
        help="How colours go into inks.",
    ),
    click.option(
        "--keep-black/--separate-black",
        default=True,
        show_default=True,
        help="Whether black ink alone stays black ink alone.",
    ),
    click.option(
        "--hold-black",
        is_flag=True,
        help="Every pixel keeps its black ink; the other inks are found anew.",
    ),
    click.option(
        "--ink-limit",
        type=click.FloatRange(100, 400),
        metavar="PERCENT",
        help="The most that all inks may have together.",
    ),
)


def print_options(run: Callable[..., Any]) -> Callable[..., Any]:
    """Declare how colours go into inks; `printing_of` takes the values."""
    for option in reversed(_PRINT):
        run = option(run)
    return run


def printing_of(values: dict[str, Any]) -> Any:
    """Take the values of `print_options` out of a command's and return them as a `Printing`."""
    from sfumato.core.study.printing import ALONE, ANEW, HELD, NO_LIMIT, Printing

    intent, keep, hold, limit = (
        values.pop(name) for name in ("intent", "keep_black", "hold_black", "ink_limit")
    )
    return Printing(intent, HELD if hold else ALONE if keep else ANEW, limit or NO_LIMIT)


def guarded(run: Callable[..., Any]) -> Callable[..., Any]:
    """Turn refusals into one line and status 1."""

    @wraps(run)
    def guarded(*args: Any, **values: Any) -> Any:
        from sfumato.core.errors import SfumatoError
        from sfumato.work.stores.encoding_store import load_library

        for fault in load_library():
            told(fault.sentence())
        try:
            return run(*args, **values)
        except SfumatoError as error:
            told(error.sentence())
            sys.exit(1)
        except MemoryError:
            told("there is not enough memory for this; use smaller files")
            sys.exit(1)

    return guarded


def one_line(text: object) -> str:
    """Return text that stays one line of UTF-8: control characters and odd bytes of names escaped.

    >>> one_line("a\nb")
    'a\\\\nb'
    """
    try:
        data = os.fsencode(str(text))
    except UnicodeEncodeError:  # half of a pair of UTF-16
        data = str(text).encode("utf-8", "replace")
    plain = data.decode("utf-8", "backslashreplace")
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in plain)


def told(text: str) -> None:
    """Print one line on stderr, after the name of the program."""
    click.echo(one_line(f"sfumato: {text}"), err=True)


def said(path: Path, words: Sequence[str]) -> None:
    """Print remarks on stderr, one a line."""
    for each in words:
        told(f"{path}: {each}")


def pair(text: str | None, option: str) -> tuple[float, float] | None:
    if text is None:
        return None
    try:
        low, high = (float(v) for v in text.split(":"))
    except ValueError:
        raise click.BadParameter("give two numbers as LO:HI", param_hint=option) from None
    return low, high


def bytes_of(files: Sequence[Path]) -> int:
    """Return how large files are together; one that is not there counts nothing."""
    from sfumato.work.files import stamp_of

    return sum(stamp[1] for stamp in map(stamp_of, files) if stamp is not None)
