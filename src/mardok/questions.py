"""Questions to an audit, answered without reading HTML again.

In:  an audit, made just now or read from its folder.
Out: tables: the phrases of a page, a section or the site; who mentions a phrase; links that wait to be made.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.audits import Audit
from mardok.compare.mentions import BlockLinks, Mention, find_mentions, mentions_at, unlinked
from mardok.compare.phrases import phrases_of, uses_within
from mardok.errors import SelectionError
from mardok.findings.passage_texts import passage_texts
from mardok.text.stems import Stemmed, stem_hashes
from mardok.text.words import words
from mardok.urls import is_under, split_url

ORDERS = ("typical", "pages", "uses")
"""By what phrases can be ordered."""
_NAMED_SECTIONS = 8
_NEAR_WORDS = 4
"""Words of the longest phrase that is named as near to another."""
_NEAR_LENGTH = 2
_FEW_WORDS = 20_000
"""Below this many words of all pages asked about, phrases that are used once are told too."""


@dataclass(frozen=True)
class Selection:
    """Which pages are asked about: those for which everything holds that is given."""

    under: tuple[str, ...] = ()
    """Beginnings of paths (``/blog/``), or patterns with ``*``; one of them must fit."""
    language: str = ""
    """ISO 639-1."""
    kind: str = ""
    """What the pages are for."""
    urls: tuple[str, ...] = ()
    """Addresses; these may be any pages of the audit, indexable or not."""

    @property
    def is_all(self) -> bool:
        """Whether nothing is given."""
        return self == Selection()


def phrases(
    audit: Audit,
    selection: Selection = Selection(),
    *,
    sizes: tuple[int, int] | None = None,
    containing: str = "",
    order: str = "",
) -> pd.DataFrame:
    """The phrases that pages use.

    Parameters
    ----------
    selection : Selection
        Pages that are asked about; without one all that are indexable, of variants only the keeper.
    sizes : (int, int), optional
        Fewest and most words, 1 to 6; those of the settings if None.
    containing : str
        Only phrases with all of these words, inflected or not.
    order : str
        ``pages``, ``uses``, or ``typical``: how surely the selection uses the phrase more than the rest of the site, by the
        log-likelihood ratio. By default ``typical`` for a selection and ``pages`` for the site.

    Returns
    -------
    DataFrame
        Columns ``phrase``, ``words``, ``pages``, ``uses``, ``boilerplate_uses``, ``typical``, ordered; exact counts. What
        is pasted on many pages counts once; its further uses are ``boilerplate_uses``. In a section, or another selection
        without addresses, teasers of pages that a page links to do not count. Of 20,000 words or more, phrases used less
        often than the settings ``phrases.uses`` and ``phrases.use_share`` say are left out.

    Raises
    ------
    SelectionError
        If no page is selected, or the sizes or the order are not to be had.
    UnknownPageError
        If an address is not in the audit.
    """
    settings = audit.meta.settings.phrases
    if selection.is_all and sizes in (None, settings.words) and not containing and order in ("", *_SITE_ORDERS):
        return _phrases_of_site(audit, order or "pages")
    rows = selected_rows(audit, selection)
    fewest, most = sizes or settings.words
    order = order or ("pages" if selection.is_all else "typical")
    if not 1 <= fewest <= most <= 6:
        raise SelectionError(
            f"phrases of {fewest} to {most} words are not counted: give numbers from 1 to 6, the lesser first"
        )
    if order not in ORDERS:
        raise SelectionError(f"order {order!r}: is not one of {', '.join(ORDERS)}")
    stemmed = audit.stemmed
    is_compared = _counted(audit)
    page_words = audit.tables.column("pages", "words")
    selected = np.isin(np.arange(len(page_words)), rows)
    n_words = int(page_words[rows].sum())
    least = 1 if n_words < _FEW_WORDS else settings.least_uses(len(rows))
    again = left_out = _repeated_boilerplate(audit, rows)
    if not (selection.is_all or selection.urls):
        left_out = again | _words_of(audit, audit.tables["teasers"])
    result = phrases_of(stemmed, selected, is_compared & ~selected, range(fewest, most + 1), least, left_out)
    result["boilerplate_uses"] = uses_within(stemmed, result, again & np.repeat(selected, stemmed.corpus.n_words))
    if containing:
        result = result[_shared_words(stemmed, result, containing) == len(words(containing))]
    by = list(dict.fromkeys([order, "uses", "pages", "words"]))
    result = result.sort_values([*by, "phrase"], ascending=[False] * len(by) + [True], ignore_index=True)
    return result[["phrase", "words", "pages", "uses", "boilerplate_uses", "typical"]]


_SITE_ORDERS = ("pages", "uses")
"""Orders in which the phrases of the whole site stand in its table already; there is no rest to be typical against."""


def _phrases_of_site(audit: Audit, order: str) -> pd.DataFrame:
    """The table of phrases, as it is asked for."""
    result = audit.tables["phrases"].assign(typical=0.0)
    by = list(dict.fromkeys([order, "uses", "pages", "words"]))
    result = result.sort_values([*by, "phrase"], ascending=[False] * len(by) + [True], ignore_index=True)
    return result[["phrase", "words", "pages", "uses", "boilerplate_uses", "typical"]]


def _repeated_boilerplate(audit: Audit, rows: NDArray[np.int64]) -> NDArray[np.bool_]:
    """For each word whether it is boilerplate that another page told of, or an earlier one of `rows`, has too."""
    passages = audit.tables["passages"]
    pasted = passages[passages["boilerplate"]]
    is_asked = np.isin(pasted["page"].to_numpy(), rows)
    ordered = pasted.assign(later=~is_asked).sort_values(["passage", "later", "page", "word"])
    return _words_of(audit, ordered[ordered["passage"].duplicated()])


def _words_of(audit: Audit, stretches: pd.DataFrame) -> NDArray[np.bool_]:
    """For each word whether it stands in one of some stretches, with `page`, `word` and `words`."""
    corpus = audit.stemmed.corpus
    result = np.zeros(len(corpus.words), bool)
    starts = corpus.offsets[stretches["page"].to_numpy()] + stretches["word"].to_numpy()
    for start, n_words in zip(starts.tolist(), stretches["words"].tolist(), strict=True):
        result[start : start + n_words] = True
    return result


def selected_rows(audit: Audit, selection: Selection) -> NDArray[np.int64]:
    """Rows of the pages that are asked about."""
    pages = audit.tables.frame("pages", ["url", "language", "kind"])
    kept = np.zeros(len(pages), bool)
    if selection.urls:
        kept[[audit.row_of(url) for url in selection.urls]] = True
    else:
        kept = _counted(audit).copy()
    everyone = kept.copy()
    for name, wanted in (("language", selection.language), ("kind", selection.kind)):
        if wanted:
            kept &= (pages[name] == wanted).to_numpy()
            _check_any(kept, f"no page asked about has the {name} {wanted!r}", f"the {name}s", pages[name][everyone])
    if selection.under:
        kept &= np.array([any(is_under(url, pattern) for pattern in selection.under) for url in pages["url"]], bool)
        sections = pages["url"][everyone].map(_section_path)
        _check_any(kept, f"no page asked about is under {' or '.join(selection.under)}", "the sections", sections)
    _check_any(kept, "the audit has no page with a text to count", "", pages["url"][:0])
    return np.flatnonzero(kept)


def _counted(audit: Audit) -> NDArray[np.bool_]:
    """Pages whose words are accounted for."""
    return audit.tables.frame("pages", ["own_words"])["own_words"].notna().to_numpy(dtype=bool)


def _check_any(kept: NDArray[np.bool_], trouble: str, what: str, there: pd.Series) -> None:
    if not kept.any():
        usual = [str(name) for name in there[there != ""].value_counts().index[:_NAMED_SECTIONS]]
        raise SelectionError(trouble + (f"; {what} with most pages are {', '.join(usual)}" if usual else ""))


def _section_path(url: str) -> str:
    first = split_url(url).path.split("/", 2)
    return f"/{first[1]}/" if len(first) > 2 else "/"


def _shared_words(stemmed: Stemmed, result: pd.DataFrame, wording: str) -> NDArray[np.int64]:
    """How many words of a wording each phrase holds, inflected or not."""
    wanted = [{int(stem_hashes([word], language)[0]) for language in stemmed.languages} for word in words(wording)]
    stems = (
        set(stemmed.stems[place : place + n].tolist()) for place, n in result[["place", "words"]].itertuples(index=False)
    )
    return np.array([sum(bool(forms & there) for forms in wanted) for there in stems], np.int64)


def mentions(
    audit: Audit,
    wordings: Sequence[str],
    selection: Selection = Selection(),
    *,
    exact: bool = False,
) -> pd.DataFrame:
    """Every mention of a thing in the main text of pages.

    Parameters
    ----------
    wordings : sequence of str
        Wordings of one thing, such as "violin rental" and "rent a violin". Inflected forms match too.
    exact : bool
        Only the very words match; case and punctuation never count.

    Returns
    -------
    DataFrame
        One row a mention, in the order of the pages: ``url``, ``text`` as written, ``sentence``, ``place`` (``heading`` or
        ``text``), ``link_url`` (where the link leads that it stands in, ``""`` if in none).

    Raises
    ------
    SelectionError
        If no page is selected, or a wording has no words.
    """
    blocks = _block_links(audit)
    urls = audit.tables.column("pages", "url")
    return pd.DataFrame(
        [
            (
                urls[result.page],
                result.text,
                result.sentence,
                "heading" if result.is_heading else "text",
                blocks.url_of(result.link) if result.link >= 0 else "",
            )
            for result in _found(audit, blocks, wordings, selection, exact)
        ],
        columns=["url", "text", "sentence", "place", "link_url"],
    )


def _found(audit: Audit, blocks: BlockLinks, wordings: Sequence[str], selection: Selection, exact: bool) -> list[Mention]:
    for wording in wordings:
        if not words(wording):
            raise SelectionError(f"{wording!r}: holds no word to look for")
    rows = selected_rows(audit, selection)
    stemmed = audit.stemmed
    number = {name: code for code, name in enumerate(stemmed.languages)}
    language_of = np.array([number[name] for name in audit.tables.column("pages", "language").tolist()], np.int64)
    result = find_mentions(stemmed, language_of, [wordings], exact=exact)
    page_of = np.searchsorted(stemmed.corpus.offsets, result.place, side="right") - 1
    return mentions_at(stemmed.corpus, blocks, result.select(np.flatnonzero(np.isin(page_of, rows))))


def missing_links(
    audit: Audit,
    wordings: Sequence[str],
    link_to: str,
    selection: Selection = Selection(),
    *,
    exact: bool = False,
) -> pd.DataFrame:
    """Pages that mention a thing in running text, and could link to the page that is about it.

    A page counts if it is indexable, of the language of the target, not the target, and does not link to it from its main
    text yet. A mention counts if it stands in no link, in no heading, and is no part of a longer name (``old_price_list``).

    Parameters
    ----------
    link_to : str
        Address of the target.

    Returns
    -------
    DataFrame
        One row a page: ``url``, ``mentions``, ``sentence``, ``anchor`` (the words to make a link of), ``link_weight`` (what
        the link would pass on), the greatest first.

    Raises
    ------
    UnknownPageError
        If the target is not in the audit.
    SelectionError
        If no page is selected, or a wording has no words.
    """
    target = audit.row_of(link_to)
    blocks = _block_links(audit)
    pages = audit.tables.frame("pages", ["url", "final_url", "language", "indexable", "link_weight"])
    final = _final_rows(pages)
    target = int(final[target]) if final[target] >= 0 else target
    links = audit.tables.frame("links", ["page", "target_page", "chrome"])
    source, leads = links["page"].to_numpy(), links["target_page"].to_numpy()
    leads = np.where(leads >= 0, np.append(final, -1)[leads], -1)
    has_link = np.isin(np.arange(len(pages)), source[(leads == target) & ~links["chrome"].to_numpy()])
    known = leads >= 0
    pairs = np.unique(source[known].astype(np.int64) * len(pages) + leads[known])
    n_targets = np.bincount(pairs // max(len(pages), 1), minlength=len(pages))
    weight = np.nan_to_num(pages["link_weight"].to_numpy()) * audit.meta.settings.links.damping
    language = pages["language"][target]
    fits = pages["indexable"].to_numpy() & (pages["language"] == language).to_numpy() & ~has_link
    fits[target] = False
    rows = [
        (pages["url"][at.page], at.n_mentions, at.sentence, at.anchor, float(weight[at.page] / (n_targets[at.page] + 1)))
        for at in unlinked(one for one in _found(audit, blocks, wordings, selection, exact) if fits[one.page])
    ]
    table = pd.DataFrame(rows, columns=["url", "mentions", "sentence", "anchor", "link_weight"])
    return table.sort_values(["link_weight", "url"], ascending=[False, True], ignore_index=True)


def _final_rows(pages: pd.DataFrame) -> NDArray[np.int64]:
    """Row of the page each page leads to in the end, -1 if it was not read."""
    row_of = {url: row for row, url in enumerate(pages["url"])}
    return np.array([row_of.get(url, -1) for url in pages["final_url"]], np.int64)


def _block_links(audit: Audit) -> BlockLinks:
    """The blocks of main text with their links."""
    frame = audit.tables.frame("blocks", ["page", "block", "text", "level", "main"])
    links = audit.tables.frame("links", ["page", "block", "url", "start", "end"])
    main = np.flatnonzero(frame["main"].to_numpy())
    page, block = frame["page"].to_numpy()[main].astype(np.int64), frame["block"].to_numpy()[main]
    key = (links["page"].to_numpy().astype(np.int64) << 32) + links["block"].to_numpy()
    own = (page << 32) + block
    # The links of a block follow one another; between blocks there are those of others, which belong to none of these.
    start, stop = np.searchsorted(key, own), np.searchsorted(key, own, side="right")
    order = np.concatenate([np.zeros(0, np.int64), *map(np.arange, start.tolist(), stop.tolist())]).astype(np.int64)
    first = np.concatenate([np.zeros(1, np.int64), np.cumsum(stop - start)])
    texts, codes = frame["text"].cat.categories, frame["text"].cat.codes.to_numpy()[main]
    urls, url_codes = links["url"].cat.categories, links["url"].cat.codes.to_numpy()[order]
    return BlockLinks(
        text_of=lambda number: str(texts[codes[number]]),
        level=frame["level"].to_numpy()[main].astype(np.int64),
        first=first,
        start=links["start"].to_numpy()[order].astype(np.int64),
        end=links["end"].to_numpy()[order].astype(np.int64),
        url_of=lambda link: str(urls[url_codes[link]]),
    )


def passages(
    audit: Audit,
    selection: Selection = Selection(),
) -> pd.DataFrame:
    """Text of at least eight words that stands word for word on two pages or more.

    Parameters
    ----------
    selection : Selection
        Only passages that one of these pages carries; their counts are those of the whole site.

    Returns
    -------
    DataFrame
        One row a passage, that with most pasted words first: ``text`` as it stands on ``example_url``, ``words``,
        ``pages`` (with at least half of it), ``pasted_words`` (of all pages together), ``boilerplate``, ``example_url``,
        ``passage`` (its number in the table of passages).

    Raises
    ------
    SelectionError
        If no page is selected.
    """
    rows = selected_rows(audit, selection)
    stretches = audit.tables["passages"]
    kept = stretches.loc[stretches["page"].isin(rows), "passage"].unique()
    return passage_texts(stretches[stretches["passage"].isin(kept)], audit.tables)


def near_phrases(audit: Audit, wording: str) -> list[str]:
    """At most three used phrases that come near to one that nobody uses.

    A wording with misspelled words is put right if somebody uses it then; else phrases with most of its words are named.
    """
    stemmed = audit.stemmed
    asked = words(wording)
    spelled = " ".join(_nearest_word(word, stemmed.corpus.vocabulary.values()) for word in asked)
    if spelled != " ".join(asked) and len(mentions(audit, [spelled])):
        return [spelled]
    is_compared = _counted(audit)
    least = audit.meta.settings.phrases.least_uses(int(is_compared.sum()))
    result = phrases_of(stemmed, is_compared, np.zeros(len(is_compared), bool), range(1, _NEAR_WORDS + 1), least)
    result["shared"] = _shared_words(stemmed, result, spelled)
    result = result[result["shared"] > 0].sort_values(["shared", "uses", "phrase"], ascending=[False, False, True])
    return [str(phrase) for phrase in result["phrase"].head(3)]


def _nearest_word(word: str, known: Collection[str]) -> str:
    """The word, or the used one that is written most like it: of about its length, and with its first letter."""
    if word in known:
        return word
    alike = [other for other in known if other[0] == word[0] and abs(len(other) - len(word)) <= _NEAR_LENGTH]
    return (get_close_matches(word, sorted(alike), n=1, cutoff=0.7) or [word])[0]
