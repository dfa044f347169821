"""What is known of pages before they are compared, as an earlier audit kept it.

In:  a site, settings, what an earlier audit kept.
Out: titles, kinds and promises of its pages, from there or found anew.
"""

from __future__ import annotations

import json
from dataclasses import replace
from typing import NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from mardok.compare.titles import Titles, split_titles
from mardok.compare.topics import PagePromises, Stemmer, Topic, find_promises
from mardok.findings.kinds import PageKinds, page_kinds, protected_pages
from mardok.kept import KeptParts, Tables, digest_of
from mardok.kept_rows import columns_of_rows, held, held_columns, rows_of_columns
from mardok.large import Texts
from mardok.settings import Settings
from mardok.text.site import Site
from mardok.text.stored_pages import held_texts
from mardok.vocabulary import KindSign, PageKind


def titles_or_kept(site: Site, kept: KeptParts) -> Titles:
    """The titles of all pages, taken apart."""

    def tables_of(titles: Titles) -> Tables:
        told = json.dumps([dict(titles.names), {name: sorted(own) for name, own in titles.distinctive.items()}])
        return {"pages": {"own": titles.own, "site": titles.site}, "names": {"told": [told]}}

    def of_tables(tables: Tables) -> Titles:
        names, distinctive = json.loads(tables["names"]["told"][0])
        own, of_site = (held_texts(cast(Texts, tables["pages"][name]), len(site.pages)) for name in ("own", "site"))
        return Titles(own, of_site, names, {name: frozenset(text_words) for name, text_words in distinctive.items()})

    def split() -> Titles:
        titles = split_titles(site)
        return replace(titles, own=held_texts(titles.own, len(titles.own)), site=held_texts(titles.site, len(titles.site)))

    return kept.part("titles", {"words": kept.key_of("words")}, split, tables_of, of_tables)


class _Kind(NamedTuple):
    """What one page is for."""

    kind: PageKind
    sign: KindSign
    reason: str
    n_items: int
    is_further: bool
    is_protected: bool


def kinds_or_kept(site: Site, settings: Settings, kept: KeptParts) -> tuple[PageKinds, NDArray[np.bool_]]:
    """What each page is for, and which pages are not moved for what their text has in common with others."""

    def find() -> tuple[PageKinds, NDArray[np.bool_]]:
        kinds = page_kinds(site, settings)
        return kinds, protected_pages(site, kinds, settings.plan.duties)

    def tables_of(found: tuple[PageKinds, NDArray[np.bool_]]) -> Tables:
        kinds, is_protected = found
        columns = (
            kinds.kind, kinds.sign, kinds.reason, kinds.n_items.tolist(), kinds.is_further.tolist(),
            is_protected.tolist(),
        )  # fmt: skip
        return {"pages": columns_of_rows([_Kind(*row) for row in zip(*columns, strict=True)], _Kind)}

    def of_tables(tables: Tables) -> tuple[PageKinds, NDArray[np.bool_]]:
        rows, pages = rows_of_columns(tables["pages"], _Kind), tables["pages"]
        n_items, is_further, is_protected = (np.asarray(pages[name]) for name in ("n_items", "is_further", "is_protected"))
        kind, sign, reason = ([getattr(row, name) for row in rows] for name in ("kind", "sign", "reason"))
        return PageKinds(kind, sign, reason, n_items, is_further), is_protected

    depends = {
        "words": kept.key_of("words"),
        "kinds": settings.kinds.model_dump(mode="json"),
        "variants": settings.variants.model_dump(mode="json"),
        "running_words": settings.text.running_words,
        "duties": settings.plan.duties,
    }
    return kept.part("kinds", depends, find, tables_of, of_tables)


class _Stem(NamedTuple):
    """A word with its stem."""

    language: str
    word: str
    stem: str


def promises_or_kept(site: Site, titles: Titles, settings: Settings, kept: KeptParts) -> PagePromises:
    """What each page promises."""
    generic = settings.rivals.generic_words

    def tables_of(promises: PagePromises) -> Tables:
        stems = [_Stem(*told) for told in promises.stemmer.learned()]
        return {"topics": columns_of_rows(promises.topics, Topic), "stems": columns_of_rows(stems, _Stem)}

    def of_tables(tables: Tables) -> PagePromises:
        topics = held_columns(tables["topics"], Topic)
        return PagePromises(topics, Stemmer(generic, rows_of_columns(tables["stems"], _Stem)))

    def find() -> PagePromises:
        promises = find_promises(site, titles, generic)
        return replace(promises, topics=held(promises.topics, Topic))

    depends = {"words": kept.key_of("words"), "titles": digest_of(list(titles.own)), "generic": generic}
    return kept.part("promises", depends, find, tables_of, of_tables)
