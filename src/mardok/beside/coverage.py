"""What of two sites can be compared.

In:  audited sites.
Out: for a measure why a site has no value, or why it cannot be compared with ours.
"""

from __future__ import annotations

from collections import Counter

from mardok.beside.measures import Asked, checks_of
from mardok.beside.site import AuditedSite, is_nearly_whole
from mardok.meta import AuditMeta
from mardok.rechecking.comparable import differing_settings, lacks
from mardok.sentences import Text, listing, sentence
from mardok.vocabulary import NotComputed, SiteMeasure

_MOST_TIMES = 2.0
"""Times that one part may be larger than the other for measures that grow with it."""
_GROWING = (
    SiteMeasure.OWN_WORDS, SiteMeasure.SHARED_WORDS, SiteMeasure.COPIED, SiteMeasure.BOILERPLATE_WORDS,
    SiteMeasure.BROKEN_LINKS, SiteMeasure.REDIRECTED_LINKS,
)  # fmt: skip
"""Measures of what two pages have in common, or of what a link leads to: the more of a site is read, the more is found."""
_ONLY_WHOLE = (SiteMeasure.DEPTH, SiteMeasure.ORPHANS)
_OF_LANGUAGE = (SiteMeasure.WORDS, SiteMeasure.THIN)
"""Measures of lengths, which differ by language."""
_SETTINGS: dict[SiteMeasure, tuple[str, ...]] = {
    SiteMeasure.INDEXABLE: ("extract.",),
    SiteMeasure.OWN_WORDS: ("text.", "copies.", "boilerplate."),
    SiteMeasure.SHARED_WORDS: ("text.", "copies.", "boilerplate."),
    SiteMeasure.BOILERPLATE_WORDS: ("text.", "copies.", "boilerplate."),
    SiteMeasure.COPIED: ("text.", "copies.", "variants."),
    SiteMeasure.THIN: ("text.", "copies.", "boilerplate.", "thin.", "kinds.", "search."),
    SiteMeasure.WORDS: ("text.", "kinds."),
    SiteMeasure.LANGUAGE: ("language.",),
}
"""Settings that a measure depends on, by the beginnings of their names; those of checks depend on ``checks``."""
_OF_ALL = ("crawl.include", "crawl.exclude", "crawl.render")
"""Settings that every measure depends on."""
_NEEDED: dict[SiteMeasure, tuple[NotComputed, ...]] = {
    SiteMeasure.TITLES: (NotComputed.TITLES,),
    SiteMeasure.DESCRIPTIONS: (NotComputed.TEXTS,),
    SiteMeasure.HEADINGS: (NotComputed.TEXTS,),
    SiteMeasure.BROKEN_LINKS: (NotComputed.LINKS,),
    SiteMeasure.REDIRECTED_LINKS: (NotComputed.LINKS,),
    SiteMeasure.DEPTH: (NotComputed.LINKS,),
    SiteMeasure.ORPHANS: (NotComputed.LINKS, NotComputed.SITEMAPS),
    SiteMeasure.ALT_TEXTS: (NotComputed.LINKS,),
    SiteMeasure.INDEXABLE: (NotComputed.STATUS,),
}
_OF_TEXTS = (
    SiteMeasure.OWN_WORDS, SiteMeasure.SHARED_WORDS, SiteMeasure.BOILERPLATE_WORDS, SiteMeasure.COPIED, SiteMeasure.THIN,
    SiteMeasure.WORDS,
)  # fmt: skip


def why_no_value(site: AuditedSite, asked: Asked) -> Text:
    """Why a measure has no value on a site; ``""`` if it has."""
    needed = (NotComputed.TEXTS,) if asked.measure in _OF_TEXTS else _NEEDED.get(asked.measure, ())
    for what in needed:
        if lacks(site.meta, what):
            return sentence("versus.note.lacks", what=sentence(f"not-computed.what.{what}"))
    if asked.measure == SiteMeasure.ORPHANS and not site.meta.totals["crawl"]["whole"]:  # none are told without all links
        return sentence("versus.note.only-whole")
    if asked.measure in _ONLY_WHOLE and not site.is_whole:
        return sentence("versus.note.only-whole")
    return ""


def why_not_comparable(ours: AuditedSite, theirs: AuditedSite, asked: Asked) -> Text:
    """Why a measure of another site cannot be compared with that of ours; ``""`` if it can."""
    measure = asked.measure
    if lacks(ours.meta, NotComputed.SCRIPT_WORDS) != lacks(theirs.meta, NotComputed.SCRIPT_WORDS):
        return sentence("versus.note.rendered")
    mattering = (*_OF_ALL, *_SETTINGS.get(measure, ()), *(("checks.",) if checks_of(asked) else ()))
    names = [name for name in differing_settings(ours.meta, theirs.meta) if name.startswith(mattering)]
    if names:
        return sentence("versus.note.settings", names=listing(names))
    if measure == SiteMeasure.THIN and bool(ours.meta.totals["search"]) != bool(theirs.meta.totals["search"]):
        return sentence("versus.note.search")
    languages = _language(ours), _language(theirs)
    if measure in _OF_LANGUAGE and "" not in languages and languages[0] != languages[1]:
        return sentence("versus.note.language")
    if measure in _GROWING and ours.is_whole != theirs.is_whole:
        return sentence("versus.note.part")
    sizes = sorted([int(ours.is_counted.sum()), int(theirs.is_counted.sum())])
    if measure in _GROWING and not ours.is_whole and sizes[1] > _MOST_TIMES * max(sizes[0], 1):
        return sentence("versus.note.sizes", fewer=sizes[0], more=sizes[1])
    return ""


def _language(site: AuditedSite) -> str:
    """The language of most pages."""
    names = Counter(map(str, site.columns["language"][site.is_counted].tolist()))
    return names.most_common(1)[0][0] if names else ""


def pages_read(meta: AuditMeta) -> Text:
    """How much of a site was read, and on which day."""
    totals = meta.totals
    crawl = totals["crawl"]
    gaps = "; ".join(crawl["gaps"])
    return sentence(
        "versus.read.whole" if crawl["whole"] else "versus.read.nearly" if is_nearly_whole(meta) else "versus.read.part",
        pages=totals["pages"], day=crawl["last_day"] or meta.made[:10], gaps=gaps,
    )  # fmt: skip
