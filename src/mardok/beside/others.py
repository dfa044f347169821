"""Pages of others about a phrase: read as an audit reads, and never counted with ours.

In:  what ``mardok audit`` takes: WARC files, folders, tables, audit folders.
Out: one page of each host, the one that is most about the phrase, and what could not be read.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from os import PathLike, fspath
from pathlib import Path

import numpy as np

from mardok.audits import Audit
from mardok.beside.page_view import PageView, page_views
from mardok.beside.phrase import TopicPhrase
from mardok.meta import is_audit_folder
from mardok.pipeline import audit
from mardok.progress import Progress
from mardok.sentences import Text, sentence
from mardok.settings import Settings
from mardok.settings import Text as TextSettings
from mardok.urls import split_url
from mardok.vocabulary import PhraseField

_SAVED = "https://saved.invalid/"
"""Address that a folder of saved pages is given (RFC 2606); its pages stand for hosts of their own."""
_WEIGHTS = {
    PhraseField.TITLE: 8, PhraseField.H1: 6, PhraseField.ADDRESS: 4, PhraseField.HEADINGS: 2, PhraseField.DESCRIPTION: 1,
}  # fmt: skip
_MOST_NOTES = 20


@dataclass(frozen=True)
class Others:
    """Pages of others."""

    pages: tuple[PageView, ...]
    notes: tuple[str, ...]
    """What was left out, or could not be read, one line each."""


def read_others(
    sources: Sequence[str | PathLike[str]], phrase: TopicPhrase, settings: Settings, jobs: int, progress: Progress
) -> Others:
    """Read pages of others, and choose one of each host.

    Parameters
    ----------
    sources : sequence of path
        WARC files, folders of saved pages, tables, audit folders.
    phrase : TopicPhrase
        What they are about.
    settings : Settings
        Of our audit: what it says of our own templates does not count for others.
    jobs : int
        Processes to use.
    progress : callable
        Called with the step at hand.

    Raises
    ------
    SourceError, TableError
        If a source cannot be used at all.
    """
    theirs = settings.model_copy(update={"text": TextSettings()})
    pages: list[PageView] = []
    notes: list[Text] = []
    for source in sources:
        path = Path(source)
        is_saved = path.is_dir() and not is_audit_folder(path)
        read = audit(fspath(source), base=_SAVED if is_saved else None, settings=theirs, jobs=jobs, progress=progress)
        names, alone, left_out = _chosen(read, phrase)
        notes += [sentence("topic-answer.note.unread", place=row.url or row.place, reason=row.reason)
                  for row in read.tables["unread"].itertuples()]  # fmt: skip
        notes += left_out
        views = map(_at_home, page_views(read, names))
        pages += (replace(view, inlinks=None) if row in alone else view for row, view in zip(names, views, strict=True))
    told = list(map(str, notes))
    if len(told) > _MOST_NOTES:
        told = [*told[:_MOST_NOTES], str(sentence("topic-answer.note.more", n=len(told) - _MOST_NOTES))]
    return Others(tuple(_named_apart(pages)), tuple(told))


def _chosen(read: Audit, phrase: TopicPhrase) -> tuple[dict[int, str], set[int], list[Text]]:
    """Of each host the page that is most about the phrase, with its name; those read alone; what is left out."""
    by_host: dict[str, list[int]] = defaultdict(list)
    left_out: list[Text] = []
    columns = ("url", "canonical_url", "words", "redirect_url", "status")
    for row, (url, canonical, n_words, redirect, status) in enumerate(
        zip(*(read.tables.column("pages", name).tolist() for name in columns), strict=True)
    ):
        if redirect:
            continue
        if not n_words:
            left_out.append(
                sentence("topic-answer.note.status", page=url, status=int(status))
                if status is not None and status == status and status >= 400
                else sentence("topic-answer.note.no-text", page=url)
            )
        else:
            by_host[_name(url, canonical)].append(row)
    chosen, alone = {}, set()
    for host, rows in by_host.items():
        if len(rows) == 1:
            chosen[rows[0]] = host
            alone.add(rows[0])
            continue
        views = {view.url: view for view in page_views(read, dict.fromkeys(rows, host))}
        urls = read.tables.rows("pages", np.array(rows, np.int64), ["url"])["url"]
        best = max(zip(rows, urls, strict=True), key=lambda one: (_about(views[one[1]], phrase), -one[0]))
        chosen[best[0]] = host
        left_out.append(sentence("topic-answer.note.one-of", host=host, n=len(rows), page=best[1]))
    return chosen, alone, left_out


def _at_home(view: PageView) -> PageView:
    """A saved page under its own address, where it names one as canonical."""
    if not view.url.startswith(_SAVED) or not view.canonical_url or view.canonical_url.startswith(_SAVED):
        return view
    return replace(view, url=view.canonical_url)


def _name(url: str, canonical: str) -> str:
    """The host of a page; of a saved page that of its canonical address, else its file."""
    if not url.startswith(_SAVED):
        return split_url(url).netloc.removeprefix("www.")
    host = split_url(canonical).netloc if canonical and not canonical.startswith(_SAVED) else ""
    return host.removeprefix("www.") or url.removeprefix(_SAVED) or "index.html"


def _about(view: PageView, phrase: TopicPhrase) -> tuple[int, int]:
    """How much a page is about the phrase: by the fields that hold it, and how often its text does."""
    places = view.places(phrase)
    return sum(weight for field, weight in _WEIGHTS.items() if places[field]), places[PhraseField.TEXT]


def _named_apart(pages: Sequence[PageView]) -> Sequence[PageView]:
    """Pages of which no two have one address; a host may stand in several sources."""
    return list({page.url: page for page in pages}.values())
