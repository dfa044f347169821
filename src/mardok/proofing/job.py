"""Everything that proofreading finds on a site.

In:  the texts of a site, settings, what a person said about earlier findings.
Out: :class:`Proofread`: tables, the troubles of pages, and what could not be looked at.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache, partial
from itertools import chain
from typing import Any, NamedTuple

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.findings.page_check import PageCheck
from mardok.kept import KeptParts, Tables, digest_of
from mardok.kept_rows import columns_of_rows, held, held_columns, rows_of_columns
from mardok.large import Texts
from mardok.proofing.dictionary import DictionaryError, is_library_there
from mardok.proofing.disagreeing import Disagreement, disagreements_in_groups, disagreements_over_site
from mardok.proofing.lookup import Found, LanguageTexts, Looked, look_up, own_words
from mardok.proofing.pieces import pieces_of
from mardok.proofing.rows import SlipRow, slip_rows
from mardok.proofing.slips import Overview, Slip, look_over
from mardok.proofing.spelling import Place
from mardok.proofing.texts import ProofTexts
from mardok.proofing.variants import Variants, most_used
from mardok.sentences import Text, clipped, listing, path_of, quoted, sentence
from mardok.settings import Proof, Settings
from mardok.sharing import shared_out
from mardok.tables import CONTRADICTIONS, SET_APART, SITE_WORDS, SLIP_PLACES, SLIPS, UNKNOWN_WORDS
from mardok.text.site import Site
from mardok.text.stored_pages import held_texts
from mardok.text.words import folded_line
from mardok.vocabulary import MERGING, WORD_CHECKS, CheckId, Decision, SlipPlace, SlotKind, StepKind

_URGENT = (SlotKind.PRICE, SlotKind.HOUR, SlotKind.TELEPHONE)
"""What costs money or visitors today if it is wrong."""
_OF_SLIPS = {"doubled_words", "commas", "brackets", "articles", "capitals", "leftovers", "contradictions"}
"""Settings that rules for slips ask for."""
_BYTES_AT_ONCE = 1 << 23
"""Texts of so many bytes are looked over together: each piece of them is asked about once."""
_NAMED = 5
_PACKAGES = {"en": "en-gb", "de": "de-de", "pt": "pt-pt", "nb": "no", "nn": "no"}
"""What Debian's packages of dictionaries are called, where not by the language."""
_WITHOUT_SPACES = frozenset(["ja", "zh", "th", "lo", "km", "my"])
_FILED = (SLIPS, SLIP_PLACES, UNKNOWN_WORDS, SITE_WORDS, SET_APART)
PROOF_CHECKS = (*WORD_CHECKS, CheckId.TEXT_VARIANTS_MIXED, CheckId.TEXT_CONTRADICTS)
"""What proofreading looks for."""


@dataclass(frozen=True)
class ProofFacts:
    """What proofreading knows of a site beside its texts."""

    page_names: Sequence[str]
    """For each page what it is called by: address, title, H1; folded."""
    accepted: Mapping[tuple[str, str], str]
    """What a person decided about slips and unknown words, by check (``""`` of an unknown word) and the words, folded."""
    template_pages: int
    """Pages on which the same words make a slip one of a template."""


@dataclass(frozen=True)
class Proofread:
    """What proofreading found."""

    tables: Mapping[str, pd.DataFrame]
    checks: Sequence[PageCheck]
    """The troubles of pages, but for those of which two pages disagree."""
    not_computed: Mapping[str, str]
    """What could not be looked at, with the reason, both in words."""
    disagreements: Sequence[Disagreement]
    """What pages disagree about."""
    contradicting: Sequence[PageCheck]
    """The troubles of pages that are."""


def proofread(texts: ProofTexts, facts: ProofFacts, settings: Proof, kept: KeptParts | None = None) -> Proofread:
    """Proofread a site.

    Parameters
    ----------
    texts : ProofTexts
        Its main texts.
    facts : ProofFacts
        What is known of it beside.
    settings : Proof
        What is looked at.
    kept : KeptParts, optional
        What an earlier audit kept of the same texts.

    Raises
    ------
    SettingsError
        If the file of own words cannot be read.
    """
    gathered = _gathered(texts, facts, settings, kept)
    rows = sorted(gathered.rows, key=lambda row: (-len(row.pages), row.check, row.written, row.pages))
    disagreements = (
        disagreements_over_site(texts, gathered.with_figures, facts.page_names, settings) if settings.contradictions else []
    )
    decided = [_decision(row, facts.accepted) for row in rows]
    left = [row for row, decision in zip(rows, decided, strict=True) if decision != Decision.ACCEPT]
    checks = chain(
        (check for row in left for check in _checks(row, texts)),
        (check for language, one in gathered.variants for check in _variant_check(language, one, left, texts)),
    )
    tables = {
        "slips": SLIPS.frame(
            (
                number, row.check, row.written, row.right, row.where, len(row.pages), row.language, texts.urls[row.pages[0]],
                row.sentence, row.uses_of_right if row.uses_of_right >= 0 else pd.NA, decision,
            )
            for number, (row, decision) in enumerate(zip(rows, decided, strict=True))
        ),
        "slip_places": SLIP_PLACES.frame((*place, number) for number, row in enumerate(rows) for place in row.places),
        "unknown_words": _unknown_table(gathered.unknown, texts, facts.accepted),
        "site_words": SITE_WORDS.frame(gathered.words),
        "contradictions": _contradictions_table(disagreements, texts),
        "set_apart": SET_APART.frame((word,) for word in texts.set_apart),
    }  # fmt: skip
    contradicting = [check for one in disagreements for check in _contradiction_checks(one, texts)]
    return Proofread(tables, held(checks, PageCheck), gathered.lacking, disagreements, contradicting)


def proofread_or_kept(
    texts: ProofTexts, facts: ProofFacts, settings: Proof, kept: KeptParts, texts_depend: Mapping[str, Any]
) -> Proofread:
    """Proofread a site, if no earlier audit has kept what is found there; all tables but that of contradictions are filed.

    Parameters
    ----------
    kept : KeptParts
        What an earlier audit kept; takes the tables.
    texts_depend : mapping of str to JSON
        All that `texts` depend on.
    """
    whole = cache(lambda: proofread(texts, facts, settings, kept))
    depends = {
        **texts_depend,
        "names": digest_of(facts.page_names),
        "accepted": [[*key, value] for key, value in sorted(facts.accepted.items())],
        "template_pages": facts.template_pages,
        "settings": settings.model_dump(mode="json"),
        "own_words": sorted(own_words(settings)),
    }
    # What dictionaries say is not known before they are asked.
    is_spelled = settings.spelling
    result = whole() if is_spelled else kept.part("proofread", depends, whole, _tables_of, _of_tables)
    for table in _FILED:

        def frames(name: str = table.name) -> list[pd.DataFrame]:
            return [whole().tables[name]]

        kept.file(table, None if is_spelled else depends, frames)
    return replace(result, tables={"contradictions": _contradictions_table(result.disagreements, texts)})


def _tables_of(found: Proofread) -> Tables:
    return {
        "checks": columns_of_rows(found.checks, PageCheck),
        "contradicting": columns_of_rows(found.contradicting, PageCheck),
        "disagreements": columns_of_rows(found.disagreements, Disagreement),
        "lacking": {"what": list(found.not_computed), "why": list(found.not_computed.values())},
    }


def _of_tables(tables: Tables) -> Proofread:
    lacking = dict(zip(*(map(str, tables["lacking"][name]) for name in ("what", "why")), strict=True))
    return Proofread(
        {},
        held_columns(tables["checks"], PageCheck),
        lacking,
        rows_of_columns(tables["disagreements"], Disagreement),
        rows_of_columns(tables["contradicting"], PageCheck),
    )


class _Unknown(NamedTuple):
    """A word that no dictionary knows."""

    language: str
    word: str
    uses: int
    texts: Sequence[int]
    """Numbers of the texts that it stands in."""


@dataclass
class _Gathered:
    """What was found, language by language."""

    rows: list[SlipRow] = field(default_factory=list)
    unknown: list[_Unknown] = field(default_factory=list)
    """Words that no dictionary knows."""
    words: list[tuple[str, str, int, bool]] = field(default_factory=list)
    """Each word with its language and uses, and whether a dictionary knows it."""
    variants: list[tuple[str, Variants]] = field(default_factory=list)
    with_figures: dict[str, list[int]] = field(default_factory=dict)
    """Numbers of the texts of each language that may state a figure."""
    lacking: dict[str, str] = field(default_factory=dict)
    """What could not be looked at, with the reason, both in words."""


def _gathered(texts: ProofTexts, facts: ProofFacts, settings: Proof, kept: KeptParts | None) -> _Gathered:
    right = own_words(settings) | texts.set_apart
    right |= {word for (check, word), decision in facts.accepted.items() if decision == Decision.ACCEPT and not check}
    result = _Gathered()
    is_asked = settings.spelling and bool(len(texts.text))
    if is_asked and not is_library_there():
        result.lacking[str(sentence("lacking.spelling"))] = str(sentence("lacking.no-library"))
        is_asked = False
    for language, numbers in texts.by_language.items():
        shown = texts.texts.selected(numbers)
        over = _looked_over(shown, language, settings, _technical(texts, numbers), kept)
        result.with_figures[language] = numbers[over.with_figures].tolist() if over.with_figures else []
        found: Iterable[Found] = (
            Found(one.check, one.written, one.right, Place(one.text, one.start, one.end)) for one in over.slips
        )
        del over  # slips go as they are put together
        looked = None
        if is_asked and language:
            asked = LanguageTexts(language, shown, pieces_of(shown))
            looked = _looked_up(asked, right, texts, settings, result.lacking)
        if looked is not None:
            found = chain(found, looked.found)
            result.words += [(word, language, n, is_known) for word, n, is_known in looked.words]
            result.variants += [(language, looked.variants)] if looked.variants is not None else []
            uses = {word: n for word, n, _ in looked.words}
            result.unknown += [
                _Unknown(language, word, uses[word], numbers[list(texts_with)].tolist())
                for word, texts_with in looked.unknown.items()
            ]
        result.rows += slip_rows(found, language, numbers, texts, facts.template_pages)
    return result


def _looked_over(
    shown: Texts, language: str, settings: Proof, is_technical: NDArray[np.bool_], kept: KeptParts | None
) -> Overview:
    """Slips in texts, and which of them state figures, as they were kept or looked for anew."""

    def look() -> Overview:
        some = partial(_look_over_some, shown, language, settings, is_technical)
        over = list(shared_out(some, [*shown.parts(_BYTES_AT_ONCE)]))
        return Overview([slip for one in over for slip in one.slips], [text for one in over for text in one.with_figures])

    if kept is None:
        return look()
    depends = {
        "language": language,
        "settings": settings.model_dump(mode="json", include=_OF_SLIPS),
        "texts": digest_of(shown),
        "technical": digest_of(is_technical),
    }
    # A page may state anything as its language; the name of the part is that of files.
    return kept.part(f"slips_{digest_of(language)[:12]}", depends, look, _tables_of_slips, _slips_of_tables)


def _look_over_some(
    shown: Texts, language: str, settings: Proof, is_technical: NDArray[np.bool_], some: tuple[int, int]
) -> Overview:
    """The same of some of the texts."""
    texts, first = shown.between(*some), some[0]
    over = look_over(texts, pieces_of(texts), language, settings, lambda number: bool(is_technical[first + number]))
    slips = [replace(slip, text=slip.text + first) for slip in over.slips]
    return Overview(slips, [text + first for text in over.with_figures])


def _tables_of_slips(over: Overview) -> Tables:
    return {"slips": columns_of_rows(over.slips, Slip), "figures": {"text": np.array(over.with_figures, np.int64)}}


def _slips_of_tables(tables: Tables) -> Overview:
    return Overview(rows_of_columns(tables["slips"], Slip), np.asarray(tables["figures"]["text"]).tolist())


def _looked_up(
    asked: LanguageTexts, right: Collection[str], texts: ProofTexts, settings: Proof, lacking: dict[str, str]
) -> Looked | None:
    """What dictionaries say; None, and the reason among what is lacking, if there is no sound one."""
    try:
        result = look_up(asked, right, {*texts.by_language, "en"}, settings, is_technical=texts.is_technical)
    except DictionaryError as error:
        lacking[_spelling_of(asked.language)] = str(error)
        return None
    if result is None:
        lacking[_spelling_of(asked.language)] = no_dictionary(asked.language)
    return result


def proof_facts(site: Site, accepted: Mapping[tuple[str, str], str], settings: Settings) -> ProofFacts:
    """What proofreading knows of a site that was just read."""
    names = held_texts((_name(page.url, page.title, page.h1) for page in site.pages), len(site.pages))
    return ProofFacts(names, _folded(accepted), settings.checks.template_pages)


def proof_facts_of_tables(pages: pd.DataFrame, accepted: Mapping[tuple[str, str], str], settings: Settings) -> ProofFacts:
    """The same of the table of pages of an audit."""
    told = pages[["url", "title", "h1"]].itertuples(index=False, name=None)
    return ProofFacts([_name(*map(str, one)) for one in told], _folded(accepted), settings.checks.template_pages)


def _folded(accepted: Mapping[tuple[str, str], str]) -> dict[tuple[str, str], str]:
    return {(check, folded_line(written)): decision for (check, written), decision in accepted.items()}


def _name(url: str, title: str, h1: str) -> str:
    return folded_line(f"{url} {title} {h1}")


def merged_rows(plan: pd.DataFrame, steps: pd.DataFrame, row_of: Mapping[str, int]) -> list[list[int]]:
    """Rows of the pages that become one by each proposal of a plan, the one that stays first.

    Parameters
    ----------
    plan, steps : DataFrame
        The tables.
    row_of : mapping of str to int
        Row of each address.
    """
    merging = set(plan.loc[plan["action"].isin(MERGING), "proposal"])
    moves = steps[steps["step"].isin([StepKind.REDIRECT, StepKind.CANONICAL]) & steps["proposal"].isin(merging)]
    groups: dict[str, list[int]] = defaultdict(list)
    for url, target in moves[["url", "target"]].itertuples(index=False, name=None):
        if url in row_of and target in row_of and url != target:
            groups[target].append(row_of[url])
    return [[row_of[target], *dict.fromkeys(rows)] for target, rows in sorted(groups.items())]


def with_groups(
    found: Proofread,
    groups: Sequence[Sequence[int]],
    main_text: Callable[[int], str],
    texts: ProofTexts,
) -> Proofread:
    """The same with what pages disagree about that are to become one.

    Parameters
    ----------
    groups : sequence of sequence of int
        Rows of the pages of each group, the one that stays first.
    main_text : callable
        Main text of a page.
    """
    within = disagreements_in_groups(groups, main_text, texts.languages)
    if not within:
        return found
    grouped = [frozenset(rows) for rows in groups]
    over_site = [one for one in found.disagreements if not any({*one.rows, *one.other_rows} <= group for group in grouped)]
    disagreements = [*within, *over_site]
    contradicting = [check for one in disagreements for check in _contradiction_checks(one, texts)]
    tables = {**found.tables, "contradictions": _contradictions_table(disagreements, texts)}
    return replace(found, tables=tables, disagreements=disagreements, contradicting=contradicting)


def _contradictions_table(disagreements: Iterable[Disagreement], texts: ProofTexts) -> pd.DataFrame:
    return CONTRADICTIONS.frame(
        (
            one.text, one.slot, one.value, len(one.rows), one.other_value, len(one.other_rows),
            texts.urls[one.other_rows[0]], texts.urls[one.rows[0]] if one.rows else "", one.sentence,
        )
        for one in disagreements
    )  # fmt: skip


def _technical(texts: ProofTexts, numbers: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Whether each of some texts stands on a page that shows code."""
    if texts.is_technical:
        return np.ones(len(numbers), bool)
    shows_code = np.zeros(len(texts.languages), bool)
    shows_code[list(texts.pages_with_code)] = True
    result = np.zeros(len(texts.texts), bool)
    result[texts.text[shows_code[texts.page]]] = True
    return np.asarray(result[numbers])


def no_dictionary(language: str) -> str:
    """Why words of a language were not looked up, and what brings a dictionary."""
    if language in _WITHOUT_SPACES:
        return str(sentence("lacking.no-words"))
    brought = sentence("lacking.packages", debian=f"hunspell-{_PACKAGES.get(language, language)}")
    return str(sentence("lacking.no-dictionary", language=language, package=brought))


def spelling_names(languages: Iterable[str]) -> set[str]:
    """What spelling is called among what could not be computed."""
    return {str(sentence("lacking.spelling")), *map(_spelling_of, languages)}


def _spelling_of(language: str) -> str:
    return str(sentence("lacking.spelling-of", language=language))


def _decision(row: SlipRow, accepted: Mapping[tuple[str, str], str]) -> str:
    return accepted.get((str(row.check), folded_line(row.written)), "")


def _checks(row: SlipRow, texts: ProofTexts) -> Iterator[PageCheck]:
    """The troubles of pages that a row is, unless all of its kind are one finding."""
    if row.check == CheckId.TEXT_VARIANTS_MIXED:
        return
    n = len(row.pages)
    shared = ""
    if row.where in (SlipPlace.BOILERPLATE, SlipPlace.TEMPLATE):
        shared = str(sentence(f"slip.where.{row.where}", n=n, words=row.written))
    detail = sentence("slip.detail" if row.right else "slip.detail-open", right=row.right, text=row.sentence)
    for page in row.pages:
        yield PageCheck(texts.urls[page], row.check, row.written, str(detail), n_pages=n, template=shared)


def _variant_check(language: str, variants: Variants, rows: Sequence[SlipRow], texts: ProofTexts) -> Iterator[PageCheck]:
    """One finding about a site that writes two variants."""
    pages = sorted(
        {page for row in rows if row.check == CheckId.TEXT_VARIANTS_MIXED and row.language == language for page in row.pages}
    )
    if not pages:
        return
    counts = sentence(
        "slip.variants", main=variants.main, n=sum(variants.words.values()), other=variants.other,
        m=sum(variants.odd_uses.values()),
    )  # fmt: skip
    lists = sentence(
        "slip.variant-words", main=variants.main, other=variants.other,
        words=_counted(variants.words), odd=_counted(variants.odd_uses),
    )  # fmt: skip
    yield PageCheck(texts.urls[pages[0]], CheckId.TEXT_VARIANTS_MIXED, str(counts), str(lists), n_pages=len(pages))


def _counted(uses: Mapping[str, int]) -> Text:
    return listing([f"{word} {uses[word]}" for word in most_used(uses, _NAMED)], most=_NAMED)


def _contradiction_checks(one: Disagreement, texts: ProofTexts) -> Iterator[PageCheck]:
    if not one.rows:
        return
    stated = sentence(
        "slip.contradicts",
        text=quoted(clipped(one.text)),
        value=one.value,
        n=len(one.rows),
        page=path_of(texts.urls[one.rows[0]]),
    )
    for row in one.other_rows:
        yield PageCheck(
            texts.urls[row], CheckId.TEXT_CONTRADICTS, one.other_value, str(stated), n_pages=len(one.other_rows),
            stated=one.value, is_urgent=one.slot in _URGENT,
        )  # fmt: skip


def _unknown_table(unknown: Iterable[_Unknown], texts: ProofTexts, accepted: Mapping[tuple[str, str], str]) -> pd.DataFrame:
    def row(one: _Unknown) -> tuple[object, ...]:
        pages = texts.pages_of_all(one.texts, one.language)
        decision = accepted.get(("", one.word.lower()), "")
        return one.word, one.language, one.uses, len(pages), texts.urls[pages[0]], decision

    return UNKNOWN_WORDS.frame(row(one) for one in unknown)
