"""Words and facts of a draft.

In:  a draft, the words and texts of the site.
Out: :class:`DraftProof`: slips of the draft, and what the site says otherwise in the same sentence.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mardok.compare.contradictions import Statement, calendar_names, slot_kind, statements
from mardok.drafts.draft import Draft
from mardok.drafts.known import KnownSite
from mardok.proofing.dictionary import DictionaryError, is_library_there
from mardok.proofing.job import no_dictionary
from mardok.proofing.lookup import Found, LanguageTexts, look_up, own_words
from mardok.proofing.pieces import pieces_of
from mardok.proofing.rows import around
from mardok.proofing.slips import look_over
from mardok.proofing.spelling import Place
from mardok.sentences import Text, clipped, counted, page_name, quoted, sentence
from mardok.settings import Proof
from mardok.text.words import folded_line
from mardok.vocabulary import CheckId, Decision, SlotKind

_MOST_STATEMENTS = 200
"""Sentences with figures that are looked for on the site."""
_LEAST_CUE = 12
"""Characters of the words by which a sentence is looked for."""
_SLOT = "…"


@dataclass(frozen=True)
class DraftSlip:
    """A word or sign of a draft that is wrong."""

    check: CheckId
    written: str
    right: str
    """What it should be; ``""`` where only a person can tell."""
    sentence: str
    """The words around it."""

    @property
    def text(self) -> Text:
        """The same in a line."""
        trouble = sentence(f"check.{self.check}.trouble")
        key = "draft.answer.slip" if self.right else "draft.answer.slip-open"
        return sentence(key, trouble=trouble, written=self.written, right=self.right, text=self.sentence)


@dataclass(frozen=True)
class DraftFact:
    """A figure of a draft that the site states otherwise."""

    statement: str
    """The sentence, with … in the place of what differs."""
    slot: SlotKind
    value: str
    """What the draft says."""
    site_value: str
    """What pages of the site say."""
    pages: int
    url: str
    """First of these pages."""

    @property
    def text(self) -> Text:
        """The same in a line."""
        return sentence(
            "draft.answer.fact", text=quoted(clipped(self.statement)), value=self.value, other=self.site_value,
            pages=counted("page", self.pages), page=page_name(self.url),
        )  # fmt: skip


@dataclass(frozen=True)
class DraftProof:
    """Words and facts of a draft."""

    slips: tuple[DraftSlip, ...] = ()
    """In the order of the draft."""
    facts: tuple[DraftFact, ...] = ()
    lacking: str = ""
    """Why words were not looked up that were to be."""


def proof_draft(known: KnownSite, draft: Draft) -> DraftProof:
    """Proofread a draft, beside the site that it is for."""
    settings = known.audit.meta.settings.proof
    texts = list(dict.fromkeys(text for _, text in draft.blocks))
    pieces = pieces_of(texts)
    over = look_over(texts, pieces, draft.language, settings, lambda _: False)
    slips = [Found(one.check, one.written, one.right, Place(one.text, one.start, one.end)) for one in over.slips]
    found, lacking = _looked_up(known, draft, LanguageTexts(draft.language, texts, pieces), settings)
    accepted = {
        (check, folded_line(written))
        for check, written, decision in _cells(known, "slips", ("check", "written", "decision"))
        if decision == Decision.ACCEPT
    }
    told = sorted([*slips, *found], key=lambda one: (one.place.text, one.place.start, one.check))
    return DraftProof(
        tuple(
            DraftSlip(one.check, one.written, one.right, around(texts[one.place.text], one.place))
            for one in told
            if (str(one.check), folded_line(one.written)) not in accepted
        ),
        tuple(_facts(known, draft, settings)) if settings.contradictions else (),
        lacking,
    )


def _looked_up(known: KnownSite, draft: Draft, asked: LanguageTexts, settings: Proof) -> tuple[list[Found], str]:
    """What dictionaries, and the words of the site, say against words of the draft; and why they were not asked."""
    if not settings.spelling or not draft.language:
        return [], ""
    if not is_library_there():
        return [], str(sentence("lacking.no-library"))
    right = own_words(settings) | {word for (word,) in _cells(known, "set_apart", ("word",))}
    looked_through = _cells(known, "unknown_words", ("word", "decision"))
    right |= {word.lower() for word, decision in looked_through if decision == Decision.ACCEPT}
    right |= frozenset(draft.page.signs.set_apart)
    elsewhere = {
        word: int(uses)
        for word, language, uses in _cells(known, "site_words", ("word", "language", "uses"))
        if language == draft.language
    }
    try:
        looked = look_up(asked, right, {*known.languages, "en"}, settings, elsewhere=elsewhere)
    except DictionaryError as error:
        return [], str(error)
    if looked is None:
        return [], no_dictionary(draft.language)
    return looked.found, ""


def _cells(known: KnownSite, table: str, names: Sequence[str]) -> Iterator[tuple[str, ...]]:
    return zip(*(known.tables.column(table, name).tolist() for name in names), strict=True)


def _facts(known: KnownSite, draft: Draft, settings: Proof) -> Iterator[DraftFact]:
    """Sentences of the draft that pages of the site say with another figure, if these agree among themselves."""
    names = calendar_names(draft.language)
    own: dict[tuple[str, ...], Statement] = {}
    for statement in statements(draft.text, names):
        if len(statement.key) - len(statement.values) >= settings.contradiction_words and len(own) < _MOST_STATEMENTS:
            own.setdefault(statement.key, statement)
    cues = {key: _cue(statement) for key, statement in own.items()}
    sought = sorted({cue for cue in cues.values() if cue})
    if not sought:
        return
    said: dict[tuple[str, ...], dict[tuple[str, ...], list[tuple[int, Statement]]]] = defaultdict(lambda: defaultdict(list))
    cells = known.tables.matching("pages", "main_text", [f"(?i)(?:{'|'.join(sought)})"])
    for row, page in zip(cells.tolist(), known.pages(cells, ("main_text", "indexable", "variant_of")), strict=True):
        if row in draft.own_rows or not page["indexable"] or page["variant_of"]:
            continue
        for statement in statements(page["main_text"], names):
            if statement.key in own:
                said[statement.key][statement.values].append((row, statement))
    title = folded_line(f"{draft.page.title} {draft.page.h1}")
    for key, by_values in said.items():
        counts = Counter({values: len({row for row, _ in found}) for values, found in by_values.items()})
        most, n = counts.most_common(1)[0]
        one, other = own[key], by_values[most][0][1]
        differs = [k for k, (a, b) in enumerate(zip(one.values, other.values, strict=True)) if a != b]
        is_slot = (len(counts) > 2 and 2 * n <= counts.total()) or any(one.values[k] in title for k in differs)
        if differs and not is_slot:
            value, site_value = (", ".join(it.written[k] for k in differs) for it in (one, other))
            row = min(row for row, _ in by_values[most])
            yield DraftFact(
                one.with_slots(differs), slot_kind([value, site_value], draft.language), value, site_value, n,
                known.urls[row],
            )  # fmt: skip


def _cue(statement: Statement) -> str:
    """The longest part of a sentence without a figure, as an expression; ``""`` if none is long enough."""
    longest = max(statement.with_slots(range(len(statement.spans))).split(_SLOT), key=len).strip()
    return r"\s+".join(map(re.escape, longest.split())) if len(longest) >= _LEAST_CUE else ""
