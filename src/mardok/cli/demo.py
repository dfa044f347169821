"""``mardok demo``: build and audit the made-up site.

In:  a folder.
Out: the made-up site's crawl and search data in it, and their audit.
"""

from __future__ import annotations

import os
import shutil
from importlib.resources import as_file, files
from pathlib import Path
from typing import Annotated

import typer

import mardok
from mardok.cli.audit import print_summary
from mardok.cli.console import progress_line
from mardok.errors import FolderError


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder to put the made-up site and its audit in.")] = Path("mardok-demo"),
) -> None:
    """Audit a made-up site, to see what an audit is.

    Example: mardok demo
    """
    from mardok.demo.build import SEARCH_FILE, SITE_FILE  # only here: it writes archives

    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in (SITE_FILE, SEARCH_FILE):
            with as_file(files("mardok.demo") / name) as source:
                shutil.copyfile(source, folder / name)
    except OSError as error:
        raise FolderError(f"{folder}: cannot be written: {error.strerror}") from error
    jobs = os.cpu_count() or 1
    with progress_line() as progress:
        finished = mardok.audit(folder / SITE_FILE, search=folder / SEARCH_FILE, jobs=jobs, progress=progress)
        finished.save(folder / "audit", jobs=jobs)
    print_summary(finished, folder / "audit")
