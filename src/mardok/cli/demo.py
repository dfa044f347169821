"""``mardok demo``: build and audit the made-up site.

In:  a folder.
Out: the made-up site's crawl and search data in it, and their audit; on demand also what came after, checked against it, and
     other firms, beside which it is laid.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from importlib.resources import as_file, files
from pathlib import Path
from typing import Annotated

import typer

import mardok
from mardok.cli.audit import print_summary
from mardok.cli.console import progress_line
from mardok.cli.recheck import print_recheck
from mardok.cli.topic import print_topic
from mardok.cli.versus import print_versus
from mardok.errors import FolderError
from mardok.progress import Progress


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder to put the made-up site and its audit in.")] = Path("mardok-demo"),
    later: Annotated[
        bool, typer.Option("--later", help="Also what the site became after its audit, checked against the plan.")
    ] = False,
    others: Annotated[
        bool, typer.Option("--others", help="Also other firms: their pages about one phrase, and two sites to compare.")
    ] = False,
) -> None:
    """Audit a made-up site, to see what an audit is.

    Example: mardok demo
    """
    from mardok.demo import build  # only here: it writes archives

    later_files = [build.DEPLOYED_FILE, build.LATER_FILE, build.LATER_SEARCH_FILE] if later else []
    _copy_into(folder, [build.SITE_FILE, build.SEARCH_FILE, *build.DRAFTS, *later_files])
    jobs = os.cpu_count() or 1
    with progress_line() as progress:
        finished = mardok.audit(folder / build.SITE_FILE, search=folder / build.SEARCH_FILE, jobs=jobs, progress=progress)
        finished.save(folder / "audit", jobs=jobs)
        checked = _checked(folder, finished, jobs, progress) if later else None
        answered = _beside_others(folder, jobs, progress) if others else None
    if checked is not None:
        print_recheck(checked, folder / "recheck")
    elif answered is None:
        print_summary(finished, folder / "audit")
    if answered is not None:
        print_topic(answered[0], folder / "topic")
        print_versus(answered[1], folder / "versus")


def _copy_into(folder: Path, names: Sequence[str]) -> None:
    """Copy files of the made-up site into a folder.

    Raises
    ------
    FolderError
        If the disk does not take them.
    """
    try:
        for name in names:
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            with as_file(files("mardok.demo") / name) as source:
                shutil.copyfile(source, folder / name)
    except OSError as error:
        raise FolderError(f"{folder}: cannot be written: {error.strerror}") from error


def _beside_others(folder: Path, jobs: int, progress: Progress) -> tuple[mardok.TopicAnswer, mardok.ComparedSites]:
    """The pages of other firms about one phrase beside ours, and the sites of two of them."""
    from mardok.demo import firms

    audits = [folder / "audit"]
    try:
        firms.write_rivals(folder / "rivals")
        for firm in firms.FIRMS:
            firms.write_firm(firm, folder / "others" / firm.host / "html")
    except OSError as error:
        raise FolderError(f"{folder}: cannot be written: {error.strerror}") from error
    for firm in firms.FIRMS:
        place = folder / "others" / firm.host
        theirs = mardok.audit(place / "html", base=f"https://{firm.host}/", jobs=jobs, progress=progress)
        theirs.save(place / "audit", jobs=jobs)
        audits.append(place / "audit")
    answer = mardok.topic(folder / "audit", firms.PHRASE, rivals=folder / "rivals", jobs=jobs, progress=progress)
    answer.save(folder / "topic")
    compared = mardok.versus(audits, progress=progress)
    compared.save(folder / "versus")
    return answer, compared


def _checked(folder: Path, finished: mardok.Audit, jobs: int, progress: Progress) -> mardok.Rechecked:
    """What the site became, soon after the change and in spring, against what a person had accepted of its plan."""
    from mardok.demo import build, later

    decided = later.decided(finished)
    decided.save(folder / "audit", jobs=jobs)
    searches = [folder / build.SEARCH_FILE, folder / build.LATER_SEARCH_FILE]
    for source, name, search in (
        (build.DEPLOYED_FILE, "deployed", searches[:1]),
        (build.LATER_FILE, "later", searches),
    ):
        mardok.audit(folder / source, search=search, jobs=jobs, progress=progress).save(folder / name, jobs=jobs)
    states = [folder / "deployed", folder / "later"]
    result = mardok.recheck(folder / "audit", *states, changed=later.CHANGED, progress=progress)
    result.save(folder / "recheck")
    return result
