"""The server asked for single addresses, through the manners of the crawler.

In:  the steps of a plan that a server carries out.
Out: an audit of what it answered: of the addresses, the pages they are to lead to, and those they really lead to.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from pathlib import Path

from mardok.audits import Audit
from mardok.errors import RecheckError
from mardok.pipeline import audit
from mardok.progress import Progress
from mardok.rechecking.hosts import Hosts
from mardok.rechecking.verdict import PlannedStep
from mardok.settings import Settings
from mardok.sources.crawl.run import crawl
from mardok.vocabulary import STRUCTURAL_STEPS

_ROUNDS = 5
"""Times that the targets of redirects are asked for in their turn."""


def asked_server(
    steps: Iterable[PlannedStep], settings: Settings, hosts: Hosts, credentials: str | None, progress: Progress
) -> Audit:
    """What the server answers for the addresses of the steps that it carries out.

    Raises
    ------
    RecheckError
        If there are no such steps.
    SourceError
        If nothing could be asked.
    """
    structural = [step for step in steps if step.step in STRUCTURAL_STEPS]
    asked = sorted({hosts.new(url) for step in structural for url in (step.url, step.target) if url})
    if not asked:
        raise RecheckError("no accepted step is a redirect, canonical, noindex or retired address: there is nothing to ask")
    alone = settings.crawl.model_copy(
        update={
            "sitemaps": False, "images": False, "render": False, "include": (), "exclude": (), "drop_parameters": (),
            "max_depth": 0, "max_pages": max(settings.crawl.max_pages, len(asked)), "repeats": max(len(asked), 1),
        }
    )  # fmt: skip
    by_page = settings.model_copy(update={"crawl": alone})
    with tempfile.TemporaryDirectory(prefix="mardok-") as folder:
        answers: list[Path] = []
        known: set[str] = set()
        result: Audit | None = None
        for number in range(_ROUNDS):
            answers.append(Path(folder) / f"{number}.warc.gz")
            crawl(out=answers[-1], listed=asked, settings=by_page, credentials=credentials, progress=progress)
            known |= {*asked}
            result = audit(*answers, settings=settings, progress=progress)
            targets = set(result.tables.column("pages", "redirect_url").tolist()) - {""}
            asked = sorted(targets - known)
            if not asked:
                break
        assert result is not None
        return result
