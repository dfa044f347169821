"""A finished audit: its tables, what it knows of itself, and questions about single pages.

In:  the tables in memory, or the folder they lie in.
Out: tables, sheets of pages, pairs and groups. Asking imports no crawler, extractor or planner.
"""

from __future__ import annotations

from contextlib import nullcontext
from dataclasses import dataclass, field
from difflib import get_close_matches
from functools import cached_property
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

from mardok.compare.difference import Run, difference
from mardok.compare.resemblance import common_wording
from mardok.errors import SelectionError, UnknownPageError
from mardok.memory import arrow_beside_python, give_back_memory
from mardok.meta import AuditMeta, read_meta
from mardok.sentences import counted, path_of, sentence
from mardok.sheets import PageSheet
from mardok.store import FolderStore, MadeStore, TableStore
from mardok.urls import normal_url

if TYPE_CHECKING:
    import pandas as pd

    from mardok.beside.topic import TopicAnswer
    from mardok.kept import KeptParts
    from mardok.text.stems import Stemmed

_NEAR_NAMES = 3


@dataclass(frozen=True)
class Audit:
    """All that was found out about a site."""

    tables: TableStore
    """Tables by name, as :data:`mardok.tables.TABLES` declares them; those of a folder are read when they are asked for."""
    meta: AuditMeta
    """What was read, when, with which settings, what could not be computed, and the totals: ``audit.json``."""
    kept: KeptParts | None = field(default=None, repr=False, compare=False)
    """What the next audit need not make again."""

    @property
    def plan(self) -> pd.DataFrame:
        """One row a proposal, best first."""
        return self.tables["plan"]

    @property
    def steps(self) -> pd.DataFrame:
        """One row a step."""
        return self.tables["steps"]

    @property
    def pages(self) -> pd.DataFrame:
        """One row a page."""
        return self.tables["pages"]

    @property
    def groups(self) -> pd.DataFrame:
        """One row a page in a group."""
        return self.tables["groups"]

    @property
    def pairs(self) -> pd.DataFrame:
        """One row a kept pair of pages."""
        return self.tables["pairs"]

    @property
    def checks(self) -> pd.DataFrame:
        """One row a trouble of a page."""
        return self.tables["checks"]

    @cached_property
    def stemmed(self) -> Stemmed:
        """The words of the main texts with their stems, for questions about wording; made when first asked for."""
        from mardok.text.hashes import corpus_of  # only here: stemmers take longer to import than other questions to answer
        from mardok.text.stems import stemmed
        from mardok.text.words import folded

        corpus = corpus_of(map(folded, self.tables.cells("pages", "main_text")))
        stop_words = {folded(word) for word in self.meta.settings.phrases.stop_words}
        return stemmed(corpus, self.tables.column("pages", "language").tolist(), stop_words)

    def row_of(self, url: str) -> int:
        """Row of an address in :attr:`pages`; a path stands for the page of the site with this path.

        Raises
        ------
        UnknownPageError
            If the address is not in the audit; the nearest ones are named.
        """
        normal = normal_url(url) or url
        row = self.tables.find("pages", "url", normal)
        if row >= 0:
            return row
        known = self.tables.column("pages", "url").tolist()
        if url.startswith("/"):
            found = [row for row, one in enumerate(known) if one.endswith(url) and path_of(one) == url]
            if found:
                indexable, inlinks = (self.tables.column("pages", name) for name in ("indexable", "inlinks"))
                return min(found, key=lambda row: (not indexable[row], -int(inlinks[row]), known[row]))
        near = get_close_matches(normal, known, n=_NEAR_NAMES, cutoff=0.5)
        hint = f"; near it are {', '.join(near)}" if near else ""
        raise UnknownPageError(f"{url}: is not in this audit{hint}")

    def page(self, url: str) -> PageSheet:
        """All that is known of one page.

        Raises
        ------
        UnknownPageError
            If the address is not in the audit.
        """
        return PageSheet(self.tables, self.row_of(url))

    def pair(self, url_a: str, url_b: str) -> PagePair:
        """Two pages beside each other: how much they have in common, and which words they have not.

        Raises
        ------
        UnknownPageError
            If an address is not in the audit.
        """
        names = ("url", "main_text", "bytes_hash", "text_hash", "words")
        a, b = (self.tables.row("pages", self.row_of(url), names) for url in (url_a, url_b))
        return PagePair(
            url_a=a["url"],
            url_b=b["url"],
            identical_file=bool(a["bytes_hash"]) and a["bytes_hash"] == b["bytes_hash"],
            identical_text=bool(a["text_hash"]) and a["text_hash"] == b["text_hash"],
            **common_wording(a["main_text"], b["main_text"])._asdict(),
            words_a=a["words"],
            words_b=b["words"],
            runs=tuple(difference(a["main_text"], b["main_text"])),
        )

    def topic(self, phrase: str, **asked: Any) -> TopicAnswer:
        """All about one phrase; see :func:`mardok.topic`, which says what else may be asked."""
        from mardok.beside.topic import topic  # only here: other questions need less

        return topic(self, phrase, **asked)

    def group(self, group: str) -> PageGroup:
        """A group of pages, by its id in :attr:`groups`.

        Raises
        ------
        SelectionError
            If there is none of this id.
        """
        rows = self.groups[self.groups["group"] == group]
        if rows.empty:
            raise SelectionError(f"{group!r}: is no group of this audit; the column 'group' of its groups lists them")
        facts = self.tables.frame("pages", ["url", "title", "words", "inlinks", "clicks"])
        pages = rows[["url", "role"]].merge(facts, on="url").sort_values(["role", "url"], ignore_index=True)
        first = rows.iloc[0]
        return PageGroup(
            group, str(first["kind"]), str(first["phrase"]), str(first["evidence"]), str(first["confidence"]), pages
        )

    def save(self, path: str | PathLike[str], *, jobs: int = 1) -> None:
        """Write the audit folder; an earlier audit there is replaced only when the new one is complete.

        Parameters
        ----------
        path : path
            The folder.
        jobs : int
            Processes to use, for the parts of the report.

        Raises
        ------
        FolderError
            If the folder is not an audit's, or cannot be written.
        """
        from mardok.deliver.report import report_html  # only here: asking needs no templates
        from mardok.folder import write_folder
        from mardok.sharing import forked, shared_by

        give_back_memory()
        kept = self.kept

        def report() -> str:
            with shared_by(forked(jobs)):
                return report_html(self.tables, self.meta, kept)

        filed = self.tables.files if isinstance(self.tables, MadeStore) else None
        keep = kept.write if kept is not None else None
        is_large = kept is not None and kept.are_in_working_folder
        with arrow_beside_python() if is_large else nullcontext():
            write_folder(Path(path), self.tables, self.meta.text, {"report.html": report}, keep, filed)

    def _repr_html_(self) -> str:
        from mardok.deliver.notebook import audit_html  # only where a notebook asks for it

        return audit_html(self)


@dataclass(frozen=True)
class PagePair:
    """Two pages beside each other."""

    url_a: str
    url_b: str
    identical_file: bool
    """Whether their files are the same byte for byte."""
    identical_text: bool
    """Whether their main texts are the same in words and punctuation."""
    resemblance: float
    """Shingles in both / shingles in either, 0 to 1."""
    a_in_b: float
    b_in_a: float
    words_a: int
    words_b: int
    runs: tuple[Run, ...]
    """Runs that the main texts share and do not share, in reading order."""

    @property
    def sentence(self) -> str:
        """The figures in words."""
        is_file, is_text = self.identical_file, self.identical_text
        return str(
            sentence(
                "pair-text.file" if is_file else "pair-text.text" if is_text else "pair-text.near",
                resemblance=self.resemblance,
                a_in_b=self.a_in_b,
                b_in_a=self.b_in_a,
                words_a=counted("word", self.words_a),
                words_b=counted("word", self.words_b),
            )
        )

    def _repr_html_(self) -> str:
        from mardok.deliver.notebook import pair_html  # only where a notebook asks for it

        return pair_html(self)


@dataclass(frozen=True)
class PageGroup:
    """Pages that belong together."""

    id: str
    kind: str
    """One of :class:`mardok.vocabulary.GroupKind`."""
    phrase: str
    """Phrase or pattern that the pages share."""
    evidence: str
    confidence: str
    pages: pd.DataFrame
    """Columns ``url``, ``role``, ``title``, ``words``, ``inlinks``, ``clicks``; the keeper first."""

    def _repr_html_(self) -> str:
        from mardok.deliver.notebook import group_html  # only where a notebook asks for it

        return group_html(self)


def load(path: str | PathLike[str]) -> Audit:
    """Read an audit folder.

    Raises
    ------
    FolderError
        If the folder holds no audit, or one of another form or that cannot be read; the line says how to make it again.
    """
    folder = Path(path)
    meta = read_meta(folder)
    return Audit(FolderStore(folder), meta)
