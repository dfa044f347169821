"""Pages that fail although they answer 200: without words of their own, or with an error instead of them.

In:  the pages with what was read of them and their main texts, and what the server says of an address that cannot exist.
Out: for each page why it fails, if it does.

Such a page is broken, and nothing else: it is no copy of others that fail, not thin, and takes part in no comparison. An
error text under status 200 ("soft 404") is known by the answer to a probe, of which the page says nothing more; else by what
its title or H1 says, in few words, or by a text that several addresses show and that says so.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

import numpy as np

from mardok.extract.page import Page
from mardok.large import counted_between, gathered
from mardok.settings import Variants
from mardok.text.site import Site
from mardok.text.words import folded, words
from mardok.urls import is_home
from mardok.vocabulary import Failure

_MOST_WORDS = 120
"""Words of an error text."""
_HEAD_SHARE = 0.5
"""Share of the words of a title or H1 that say so."""
_SAYS_MISSING = re.compile(
    r"^404$|\b(?:error|fehler|erreur) 404\b|\b404 (?:error|not found)|"
    r"(?:page|file|article|product|url|address)?s? ?(?:was |is )?not found|"
    r"(?:page|file) (?:does not|doesn't) exist|(?:page|seite) (?:is )?(?:no longer (?:exists|available)|missing)|"
    r"(?:oops|sorry)[,!.]* .{0,30}(?:not (?:be )?found|find that page|missing)|we can(?:'t|not) find (?:that|the|this) page|"
    r"(?:seite|datei|artikel)? ?(?:wurde )?nicht gefunden|(?:seite|datei) existiert nicht|page (?:introuvable|non trouvée)|"
    r"cette page n'existe pas|p[áa]gina no encontrada|la p[áa]gina no existe|pagina non trovata|pagina niet gevonden|"
    r"p[áa]gina n[ãa]o encontrada|strona nie została znaleziona|sidan hittades inte|siden blev ikke fundet"
)
_SAYS_MISSING_IN_TEXT = re.compile(
    r"\b(?:page|file|address|url)\b[^.!?]{0,60}(?:\bnot (?:be )?found\b|\b(?:does not|doesn't|no longer) exists?\b)|"
    r"(?:\bnot|n't) find\b[^.!?]{0,30}\b(?:page|file|address|url)\b|"
    r"\b(?:seite|adresse|datei)\b[^.!?]{0,60}(?:\bnicht (?:gefunden|finden)\b|\bexistiert nicht\b|\bgibt es nicht\b)|"
    r"\bpage\b[^.!?]{0,60}(?:\bintrouvable\b|\bn'existe (?:pas|plus)\b|\bpas été trouvée\b)|"
    r"\bp[áa]gina\b[^.!?]{0,60}(?:\bno existe\b|\bnon (?:esiste|è stata trovata)\b|\bnão (?:existe|foi encontrada)\b)|"
    r"\bpagina\b[^.!?]{0,60}(?:\bbestaat niet\b|\bniet (?:gevonden|worden gevonden)\b)"
)
_ADDRESSES = 3
"""Addresses that show one text, from which what it says of a missing page is said of them."""


def failures(site: Site, probes: Iterable[Page], settings: Variants) -> list[Failure]:
    """Why each page fails, none for those that do not or that are no HTML pages which answered.

    Parameters
    ----------
    probes : iterable of Page
        What servers said of addresses that cannot exist. Some show their home page then; that is none of these itself.
    """
    has_text = counted_between(gathered(site.blocks.has_text, site.blocks.at), site.blocks.first) > 0
    said_often = _texts_that_say_missing(site)
    missing = [(probe.title, frozenset(folded(block.text) for block in probe.blocks)) for probe in probes]
    result = [Failure.NONE] * len(site.pages)
    for row, page in enumerate(site.pages):
        if not page.bytes_hash or page.status not in (None, 200) or page.redirect_url or page.trouble:
            continue
        n_words = int(site.corpus.n_words[row])
        if n_words == 0:
            result[row] = Failure.FRAME if page.signs.n_frames else Failure.FURNITURE if has_text[row] else Failure.NO_TEXT
        elif n_words <= _MOST_WORDS and (_says_missing(page.title) or _says_missing(page.h1) or row in said_often):
            result[row] = Failure.ERROR_TEXT
        elif any(page.title == title for title, _ in missing) and not is_home(page.url, settings):
            own = {folded(line) for line in site.main_text(row).split("\n")}
            if any(page.title == title and own <= text_words for title, text_words in missing):
                result[row] = Failure.ERROR_TEXT
    return result


def _texts_that_say_missing(site: Site) -> set[int]:
    """Rows of pages with one short text that says of a page that it is missing."""
    short = np.flatnonzero((site.corpus.n_words > 0) & (site.corpus.n_words <= _MOST_WORDS)).tolist()
    texts = {row: site.main_text(row) for row in short}
    numbers = Counter(texts.values())
    return {
        row
        for row, text in texts.items()
        if numbers[text] >= _ADDRESSES and _SAYS_MISSING_IN_TEXT.search(folded(text)) is not None
    }


def _says_missing(text: str) -> bool:
    """Whether a title or heading says little more than that a page is missing."""
    hit = _SAYS_MISSING.search(folded(text))
    return hit is not None and len(words(hit[0])) >= _HEAD_SHARE * len(words(text))
