"""Links that wait to be made, found slowly from an audit's tables: every phrase in every block, word by word."""

from __future__ import annotations

import re
from collections import defaultdict
from itertools import pairwise

import numpy as np

import mardok
from mardok.compare.titles import title_parts
from mardok.text.hashes import corpus_of
from mardok.text.spans import WordSpans
from mardok.text.stems import plain_words, stems
from mardok.text.words import folded, words

Row = tuple[str, str, int, str, float, int]
_VERSION = re.compile(r"(?<!\d)\d+(?:\.\d+)+")


def slow_links(audit: mardok.Audit) -> list[Row]:
    """Target, source, block, words, weight and pages that link of every link of the plan, as the table has them."""
    pages, settings = audit.pages, audit.meta.settings
    generic = {word for text in settings.rivals.generic_words for word in words(text)}
    groups = audit.groups
    copies = set(groups.loc[groups["kind"].isin(["copies"]) & (groups["role"] == "member"), "url"])
    guests = set(audit.checks.loc[audit.checks["check"] == "text-untranslated", "url"])
    is_told = pages["own_words"].notna() & pages["indexable"] & ~pages["url"].isin(copies | guests)
    stays = is_told & (pages["kind"] != "utility")

    def telling(text: str, language: str) -> frozenset[str]:
        text = _VERSION.sub(lambda one: one[0].replace(".", "-"), text)
        kept = [
            word for word in words(text)
            if word not in plain_words(language) | generic and not re.fullmatch(r"(?:19|20)\d\d", word)
        ]  # fmt: skip
        return frozenset(stems(kept, language))

    def own_title(page: object) -> str:
        name = page.site_name  # type: ignore[attr-defined]
        return " ".join(part for part in title_parts(page.title) if part != name)  # type: ignore[attr-defined]

    owners = defaultdict(set)
    wordings: dict[tuple[str, tuple[str, ...]], int] = {}
    rows = [page for page in pages.itertuples() if is_told[page.Index]]
    for page in rows:
        for text in (page.target_phrase, page.h1):
            owners[page.language, telling(text, page.language)].add(page.Index)
        owners[page.language, telling(own_title(page) if telling(own_title(page), page.language) else page.h1,
                                      page.language)].add(page.Index)  # fmt: skip
    for page in rows:
        for text in (page.target_phrase, page.h1):
            said, own = telling(text, page.language), words(text)
            if stays[page.Index] and len(said) >= 2 and len(own) <= 6 and len(owners[page.language, said]) == 1:
                wordings[page.language, tuple(stems(own, page.language))] = page.Index

    titles = [own_title(page) for page in pages.itertuples()]
    grams = defaultdict(set)
    for row, (title, h1, language) in enumerate(zip(titles, pages["h1"], pages["language"], strict=True)):
        for gram in _grams(title, language) | _grams(h1, language):
            grams[language, gram].add(row)
    for key, row in list(wordings.items()):
        own = (words(titles[row]), words(pages["h1"][row]))
        is_called_so = any(tuple(stems(text, key[0])) == key[1] for text in own)
        if len(grams[key]) >= 3 and not is_called_so:
            del wordings[key]

    keeper = dict(enumerate(range(len(pages))))
    for _, group in groups[groups["kind"].isin(["variants", "copies"])].groupby("group"):
        (kept,) = group.loc[group["role"] == "keeper", "url"]
        for url in group.loc[group["role"] == "member", "url"]:
            keeper[audit.row_of(url)] = audit.row_of(kept)
    final = {row: (pages["url"] == url).to_numpy().nonzero()[0] for row, url in enumerate(pages["final_url"])}
    linking, targets_of = defaultdict(set), defaultdict(set)
    for source, target, in_chrome in audit.tables["links"][["page", "target_page", "chrome"]].itertuples(index=False):
        ends = {target, *final[target].tolist()} if target >= 0 else set()
        targets_of[source] |= set(final[target].tolist()) if target >= 0 else set()
        if not in_chrome:
            ends |= {keeper[keeper[end]] for end in ends}
            for end in ends - {source}:
                linking[end].add(source)
    pasted = _pasted(audit)
    links_of = defaultdict(list)
    for page, block, start, end in audit.tables["links"][["page", "block", "start", "end"]].itertuples(index=False):
        links_of[page, block].append((start, end))
    sizes = sorted({len(wording) for _, wording in wordings}, reverse=True)
    found: dict[tuple[int, int], tuple[int, str]] = {}
    here, word = -1, 0
    for block in audit.tables["blocks"][audit.tables["blocks"]["main"]].itertuples():
        first = word if block.page == here else 0
        here, language = block.page, pages["language"][block.page]
        own = corpus_of([folded(block.text)])
        texts = [own.vocabulary[code] for code in own.words.tolist()]
        word = first + len(texts)
        forms = stems(texts, language)
        clauses = [*own.clause_offsets.tolist(), len(forms)]
        clause_end = np.repeat(clauses[1:], np.diff(clauses)) if forms else []
        free = 0
        spans = WordSpans(block.text)
        for at in range(len(forms)):
            target, n = next(
                ((wordings[language, tuple(forms[at : at + n])], n) for n in sizes
                 if at + n <= clause_end[at] and (language, tuple(forms[at : at + n])) in wordings), (-1, 0),
            )  # fmt: skip
            if not n or at < free:
                continue
            free = at + n
            start, end = spans.of(at, n)
            is_linked = any(begin < end and start < stop for begin, stop in links_of[here, block.block])
            is_glued = re.search(r"\w[-_/\\@.:=#&~+]$", block.text[:start]) or re.match(
                r"[-_/\\@.:=#&~+]\w", block.text[end:]
            )
            is_prose = not block.level and block.tag not in ("pre", "button", "legend", "caption", "figcaption")
            is_own = block.reason != "boilerplate" and not any(pasted[here, first + at + k] for k in range(n))
            may_link = stays[here] and here != target and here not in linking[target]
            if may_link and is_prose and is_own and not is_linked and not is_glued and (target, here) not in found:
                found[target, here] = (block.block, block.text[start:end])
    weight = pages["link_weight"].fillna(0)
    result = []
    for target in sorted({target for target, _ in found}):
        waiting = [
            (float(weight[source]) * settings.links.damping / (len(targets_of[source]) + 1), source)
            for one, source in found
            if one == target
        ]
        for passed, source in sorted(waiting, key=lambda one: (-one[0], one[1]))[: settings.links.most]:
            block, text = found[target, source]
            result.append((pages["url"][target], pages["url"][source], block, text, passed, len(linking[target])))
    return result


def _grams(text: str, language: str) -> set[tuple[str, ...]]:
    """Stems of words in a row, within a clause, of a text."""
    own = corpus_of([folded(text)])
    forms = stems([own.vocabulary[code] for code in own.words.tolist()], language)
    ends = [*own.clause_offsets.tolist(), len(forms)]
    return {
        tuple(forms[at : at + n])
        for begin, end in pairwise(ends)
        for at in range(begin, end)
        for n in range(1, min(6, end - at) + 1)
    }


def _pasted(audit: mardok.Audit) -> defaultdict[tuple[int, int], bool]:
    """Words of pages that are boilerplate, as they stand in a run of eight words of it, or that tease another page."""
    result: defaultdict[tuple[int, int], bool] = defaultdict(bool)
    for page, word, n in audit.tables["teasers"][["page", "word", "words"]].itertuples(index=False):
        for k in range(n):
            result[page, word + k] = True
    texts = [words(text) for text in audit.tables["boilerplate"]["text"]]
    runs = {tuple(text[at : at + 8]) for text in texts for at in range(len(text) - 7)}
    for page, text in enumerate(audit.pages["main_text"]):
        own = words(text)
        for at in range(len(own) - 7):
            if tuple(own[at : at + 8]) in runs:
                for k in range(8):
                    result[page, at + k] = True
    return result
