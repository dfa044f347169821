"""All about one phrase: on our own site, and beside pages of others.

In:  an audit, a phrase, and perhaps pages of others.
Out: a :class:`TopicAnswer`: a record that can be read, printed and saved.
"""

from __future__ import annotations

import dataclasses
import json
import math
from collections.abc import Sequence
from dataclasses import dataclass
from os import PathLike
from pathlib import Path
from typing import Any

from mardok.audits import Audit, load
from mardok.beside.gaps import CommonPassage, Suggestion, common_passages, only_ours, suggestions
from mardok.beside.on_site import OnSite, find_on_site
from mardok.beside.others import Others, read_others
from mardok.beside.page_view import PageView, page_views
from mardok.beside.phrase import TopicPhrase
from mardok.errors import TableError
from mardok.folder import write_files
from mardok.progress import Progress, tell_nobody
from mardok.sentences import path_of
from mardok.sources.page_lists import read_targets
from mardok.sources.raw import OpenIntake

_SOURCE = str | PathLike[str]
MARKER_FILE, PAGE_FILE, BRIEF_FILE = "topic.json", "topic.html", "topic.md"
_MOST_ASKED = 15


@dataclass(frozen=True)
class AskedQuery:
    """A query that shows the page and whose words it does not say."""

    query: str
    missing: str
    impressions: float
    """A month."""


@dataclass(frozen=True)
class TopicAnswer:
    """All about one phrase."""

    phrase: TopicPhrase
    on_site: OnSite
    ours: PageView | None
    """Our page; None if nobody promises the phrase."""
    asked: tuple[AskedQuery, ...]
    """What it is asked and does not say."""
    others: Others
    """Pages of others; none if none were given."""
    suggestions: tuple[Suggestion, ...]
    only_ours: tuple[str, ...]
    """Phrases that only our page uses."""
    common: tuple[CommonPassage, ...]
    """What ours and others have word for word."""
    mardok: str
    made: str
    """When the audit was made, ISO 8601."""

    def as_dict(self) -> dict[str, Any]:
        """Everything, for programs."""
        site = self.on_site
        views = [*([self.ours] if self.ours is not None else []), *self.others.pages]
        told: dict[str, Any] = _plain(
            {
                "mardok": self.mardok,
                "phrase": site.phrase,
                "verdict": site.verdict,
                "sentence": str(site.sentence),
                "meant": site.meant,
                "meant_by": site.meant_by or "",
                "near": list(site.near),
                "promisers": [dataclasses.asdict(one) for one in site.promisers],
                "n_promisers": site.n_promisers,
                "search": dataclasses.asdict(site.searched) if site.searched is not None else None,
                "proposal": site.proposal,
                "mentions_without_link": [dataclasses.asdict(one) for one in site.linking.waiting],
                "pages_that_link": site.linking.n_linking,
                "asked_and_not_said": [dataclasses.asdict(one) for one in self.asked],
                "pages": [
                    {
                        "name": view.name, "url": view.url, "title": view.title, "h1": view.h1,
                        "description": view.description, "words": view.words, "stated_day": view.stated_day,
                        "inlinks": view.inlinks, "headings": [list(one) for one in view.headings],
                        "questions": view.questions, "table_cells": view.n_cells, "list_items": view.n_items,
                        "places": view.places(self.phrase),
                    }
                    for view in views
                ],
                "suggestions": [dataclasses.asdict(one) for one in self.suggestions],
                "only_ours": list(self.only_ours),
                "word_for_word": [dataclasses.asdict(one) for one in self.common],
                "notes": list(self.others.notes),
            }
        )  # fmt: skip
        return told

    def save(self, path: str | PathLike[str]) -> None:
        """Write the folder: the brief, the page, everything as JSON; an earlier answer there is replaced.

        Parameters
        ----------
        path : path
            The folder.

        Raises
        ------
        FolderError
            If the folder holds something else, or cannot be written.
        """
        from mardok.beside.topic_page import topic_brief, topic_html  # only here: asking needs no templates

        files = {
            BRIEF_FILE: topic_brief(self).encode("utf-8", "replace"),
            PAGE_FILE: topic_html(self).encode("utf-8", "replace"),
            MARKER_FILE: (json.dumps(self.as_dict(), ensure_ascii=False) + "\n").encode("utf-8", "replace"),
        }
        write_files(Path(path), files, marker=MARKER_FILE)


def topic(
    audit: Audit | _SOURCE,
    phrase: str,
    *,
    rivals: _SOURCE | Sequence[_SOURCE] = (),
    targets: _SOURCE | None = None,
    jobs: int = 1,
    progress: Progress | None = None,
) -> TopicAnswer:
    """All about one phrase.

    Parameters
    ----------
    audit : Audit or path
        The audit of our site, or its folder.
    phrase : str
        What it is about; inflected forms and other orders of its words count.
    rivals : path or sequence of paths
        Pages of others that are found for it: WARC files, folders of saved pages, tables. Of each host one page counts; none
        of them enters our counts or plan.
    targets : path, optional
        A table of phrases with the page that is meant for each; by default that of the audit.
    jobs : int
        Processes to use for pages of others.
    progress : callable
        Called with the step at hand.

    Raises
    ------
    SelectionError
        If the phrase holds no word.
    FolderError, SourceError, TableError
        If the audit, a source or the table of targets cannot be used.
    """
    progress = progress or tell_nobody
    made = audit if isinstance(audit, Audit) else load(audit)
    asked_of = TopicPhrase(phrase)
    progress("looking through the audit", 0)
    site = find_on_site(made, asked_of, _targets(made, targets))
    ours = _our_page(made, site)
    sources = [rivals] if isinstance(rivals, (str, PathLike)) else list(rivals)
    others = read_others(sources, asked_of, made.meta.settings, jobs, progress) if sources else Others((), ())
    has_both = ours is not None and bool(others.pages)
    return TopicAnswer(
        asked_of,
        site,
        ours,
        _asked(made, site.meant),
        others,
        tuple(suggestions(ours, others.pages, asked_of)) if ours is not None and has_both else (),
        tuple(only_ours(ours, others.pages, asked_of)) if ours is not None and has_both else (),
        tuple(common_passages(ours, others.pages)) if ours is not None and has_both else (),
        made.meta.mardok,
        made.meta.made,
    )


def _targets(made: Audit, given: _SOURCE | None) -> dict[str, str]:
    """Phrases with the pages meant for them: of the file given, else of the audit.

    Raises
    ------
    TableError
        If a row of the file cannot be read.
    """
    if given is None:
        return {str(row["phrase"]): str(row["url"]) for row in made.meta.totals["targets"] or ()}
    intake = OpenIntake()
    result = read_targets(Path(given), intake)
    if intake.unread:
        raise TableError(f"{given}, {intake.unread[0].place}: {intake.unread[0].reason}")
    return result


def _our_page(made: Audit, site: OnSite) -> PageView | None:
    """Our page: the one meant for the phrase."""
    if not site.meant:
        return None
    return page_views(made, {made.row_of(site.meant): path_of(site.meant)})[0]


def _asked(made: Audit, url: str) -> tuple[AskedQuery, ...]:
    if not url:
        return ()
    rows = made.tables["unanswered"]
    own = rows[(rows["url"] == url) & (rows["missing"] != "")].head(_MOST_ASKED)
    return tuple(
        AskedQuery(str(query), str(missing), float(impressions))
        for query, missing, impressions in own[["query", "missing", "impressions"]].itertuples(index=False, name=None)
    )


def _plain(value: Any) -> Any:
    """The same for JSON: null for what is not known, keys as text."""
    if isinstance(value, dict):
        return {str(key): _plain(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(one) for one in value]
    if isinstance(value, float) and math.isnan(value):
        return None
    return value
