"""What the commands print with.

In:  what a command has to say.
Out: the answer to standard output; progress, warnings and errors to standard error.
"""

from __future__ import annotations

import io
import json
import logging
import os
import platform
import sys
import tempfile
import time
import traceback
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from importlib.metadata import version
from typing import TYPE_CHECKING, Any, NoReturn

from rich.console import Console
from rich.text import Text

from mardok.progress import Progress
from mardok.visible import visible

if TYPE_CHECKING:
    import pandas as pd
    from rich.table import Table

_PLAIN_WIDTH = 100
_QUIET_SECONDS = 2.0

errors = Console(stderr=True, highlight=False, soft_wrap=True)


def answer_console() -> Console:
    """Where answers go: as wide as the terminal, plain and of one width in a pipe."""
    width = None if sys.stdout.isatty() else _PLAIN_WIDTH
    return Console(highlight=False, width=width, emoji=False)


def shown(text: object, style: str = "") -> Text:
    """Text from a page, safe to print: no markup, no control characters, no change of direction.

    Examples
    --------
    >>> shown("[red]a\\x1b[31mb").plain
    '[red]a\ufffd[31mb'
    """
    return Text(visible(str(text)).replace("\r", "\ufffd"), style=style)


class _ToStandardError(logging.Handler):
    """Says on standard error what the library logs, one line each."""

    def emit(self, record: logging.LogRecord) -> None:
        errors.print(shown(f"mardok: {' '.join(record.getMessage().split())}"))


_handler = _ToStandardError()


def show_log(level: int) -> None:
    """Show what the library logs, from a level on."""
    library = logging.getLogger("mardok")
    library.setLevel(level)
    library.addHandler(_handler)


def hide_log() -> None:
    """Leave what the library logs to others again, for programs that call the command line."""
    library = logging.getLogger("mardok")
    library.setLevel(logging.NOTSET)
    library.removeHandler(_handler)


def new_table(**look: Any) -> Table:
    """A table without lines, as all answers are."""
    from rich.table import Table  # only here: a command that prints none starts sooner

    return Table(**{"box": None, "pad_edge": False, "padding": (0, 2, 0, 0), **look})


def fail(error: Exception) -> NoReturn:
    """Say what is wrong in one line and leave with status 2."""
    errors.print(Text.assemble(("mardok: ", "bold red"), " ".join(shown(error).plain.split())))
    sys.exit(2)


def fail_unexpectedly(error: Exception) -> NoReturn:
    """Write down what went wrong that should not have, say where in one line, and leave with status 70."""
    kind = type(error).__name__
    if isinstance(error, (MemoryError, RecursionError)):
        told = f"there is not enough memory ({kind})"
    else:
        told = f"this went wrong and should not have ({kind}: {' '.join(str(error).split())[:200]})"
    lines = [
        f"Mardok {version('mardok')}, Python {sys.version}, {platform.platform()}",
        f"Command: {' '.join(sys.argv[1:2])}",  # what follows may hold names and addresses of a client
        *traceback.format_exception(error),
    ]
    try:
        descriptor, path = tempfile.mkstemp(".txt", "mardok-report-")
        with os.fdopen(descriptor, "w", encoding="utf-8", errors="backslashreplace") as file:
            file.write("\n".join(lines))
        told += f"; the file {path} says where"
    except OSError:
        pass
    errors.print(Text.assemble(("mardok: ", "bold red"), shown(told).plain))
    sys.exit(70)


def replace_what_cannot_be_shown() -> None:
    """Let a terminal or a pipe that does not take all characters show others in their place."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")


def print_json(value: Mapping[str, Any]) -> None:
    """Print for programs."""
    is_ascii = not (sys.stdout.encoding or "").lower().startswith("utf")
    sys.stdout.write(json.dumps(value, indent=2, ensure_ascii=is_ascii, default=_plain) + "\n")


def records(frame: pd.DataFrame) -> list[dict[str, Any]]:
    """Rows of a table for :func:`print_json`, with null for what is missing."""
    plain = frame.astype(object).where(frame.notna(), None)
    return [{str(key): value for key, value in row.items()} for row in plain.to_dict("records")]


def _plain(value: Any) -> Any:
    return value.item() if hasattr(value, "item") else str(value)


@contextmanager
def progress_line() -> Iterator[Progress]:
    """A line that tells what is being done, on a terminal and only when it takes longer than two seconds."""
    from rich.status import Status  # only here: a command that takes no time starts sooner

    status = Status("", console=errors)
    begun = time.monotonic()
    is_shown = False

    def tell(stage: str, done: int) -> None:
        nonlocal is_shown
        if not errors.is_terminal or time.monotonic() - begun < _QUIET_SECONDS:
            return
        if not is_shown:
            status.start()
            is_shown = True
        status.update(f"{stage}{f': {done:,}' if done else ''}")

    try:
        yield tell
    finally:
        status.stop()
