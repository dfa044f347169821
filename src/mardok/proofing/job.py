"""Everything that proofreading finds on a site.

In:  the texts of a site, settings, what a person said about earlier findings.
Out: :class:`Proofread`: tables, the troubles of pages, and what could not be looked at.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import pandas as pd

from mardok.errors import SettingsError
from mardok.findings.page_check import PageCheck
from mardok.proofing.dictionary import (
    Dictionary,
    DictionaryError,
    Speller,
    find_dictionaries,
    is_library_there,
    opened,
    stems_of,
)
from mardok.proofing.disagreeing import Disagreement, disagreements_in_groups, disagreements_over_site
from mardok.proofing.slips import find_slips
from mardok.proofing.spelling import Judges, Place, check_spelling, count_words
from mardok.proofing.texts import ProofTexts
from mardok.proofing.variants import Variants, counterparts, find_variants, most_used
from mardok.sentences import Text, clipped, listing, path_of, quoted, sentence
from mardok.settings import Proof, Settings
from mardok.tables import CONTRADICTIONS, SET_APART, SITE_WORDS, SLIP_PLACES, SLIPS, UNKNOWN_WORDS
from mardok.text.site import Site
from mardok.text.words import folded_line
from mardok.vocabulary import Action, CheckId, Decision, SlipPlace, SlotKind, StepKind

_URGENT = (SlotKind.PRICE, SlotKind.HOUR, SlotKind.TELEPHONE)
"""What costs money or visitors today if it is wrong."""
_SHOWN, _NAMED = 60, 5
PROOF_CHECKS = (
    CheckId.TEXT_MISSPELT, CheckId.TEXT_VARIANTS_MIXED, CheckId.TEXT_DOUBLED_WORD, CheckId.TEXT_COMMA, CheckId.TEXT_BRACKET,
    CheckId.TEXT_ARTICLE, CheckId.TEXT_CAPITAL, CheckId.TEXT_LEFTOVER, CheckId.TEXT_CONTRADICTS,
)  # fmt: skip
"""What proofreading looks for."""
_TECHNICAL_WORDS = 100
"""Words that markup sets apart from which on a site is about code."""
_LARGEST_LIST = 10_000_000


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
    not_computed: Mapping[str, str]
    """What could not be looked at, with the reason, both in words."""
    disagreements: Sequence[Disagreement]
    """What pages disagree about."""


class _Found(NamedTuple):
    """A slip at one place of one text."""

    check: CheckId
    written: str
    right: str
    place: Place
    uses_of_right: int = -1


class _Row(NamedTuple):
    """A row of the table of slips, with its places."""

    check: CheckId
    written: str
    right: str
    where: SlipPlace
    language: str
    pages: tuple[int, ...]
    sentence: str
    uses_of_right: int
    places: tuple[tuple[int, int, int, int], ...]
    """Page, block, start and end of each."""


def proofread(texts: ProofTexts, facts: ProofFacts, settings: Proof) -> Proofread:
    """Proofread a site.

    Parameters
    ----------
    texts : ProofTexts
        Its main texts.
    facts : ProofFacts
        What is known of it beside.
    settings : Proof
        What is looked at.

    Raises
    ------
    SettingsError
        If the file of own words cannot be read.
    """
    right = own_words(settings) | texts.set_apart
    right |= {word for (check, word), decision in facts.accepted.items() if decision == Decision.ACCEPT and not check}
    rows: list[_Row] = []
    unknown: list[tuple[str, str, Sequence[Place]]] = []
    words: list[tuple[str, str, int, bool]] = []
    variants: list[tuple[str, Variants]] = []
    lacking: dict[str, str] = {}
    is_asked = settings.spelling and bool(len(texts.text))
    if is_asked and not is_library_there():
        lacking[str(sentence("lacking.spelling"))] = str(sentence("lacking.no-library"))
        is_asked = False
    for language, numbers in texts.by_language.items():
        shown = [texts.texts[number] for number in numbers.tolist()]
        found = [
            _Found(one.check, one.written, one.right, Place(one.text, one.start, one.end))
            for one in find_slips(shown, language, settings, _technical(texts, numbers.tolist()))
        ]
        if is_asked:
            try:
                looked = _look_up(shown, language, right, texts, settings)
            except DictionaryError as error:
                looked, lacking[_spelling_of(language)] = None, str(error)
            else:
                if looked is None:
                    lacking[_spelling_of(language)] = str(sentence("lacking.no-dictionary", language=language))
            if looked is not None:
                found += looked.found
                words += [(word, language, n, is_known) for word, n, is_known in looked.words]
                variants += [(language, looked.variants)] if looked.variants is not None else []
                unknown += [
                    (language, word, [Place(int(numbers[one.text]), one.start, one.end) for one in places])
                    for word, places in looked.unknown.items()
                ]
        rows += _rows(found, language, numbers.tolist(), texts, facts.template_pages)
    rows.sort(key=lambda row: (-len(row.pages), row.check, row.written, row.pages))
    disagreements = disagreements_over_site(texts, facts.page_names, settings) if settings.contradictions else []
    decided = [_decision(row, facts.accepted) for row in rows]
    checks = [
        *(check for row, decision in zip(rows, decided, strict=True) for check in _checks(row, decision, texts)),
        *(check for language, one in variants for check in _variant_check(language, one, rows, texts, settings)),
        *(check for one in disagreements for check in _contradiction_checks(one, texts)),
    ]
    tables = {
        "slips": SLIPS.frame(
            (
                number, row.check, row.written, row.right, row.where, len(row.pages), row.language, texts.urls[row.pages[0]],
                row.sentence, row.uses_of_right if row.uses_of_right >= 0 else pd.NA, decision,
            )
            for number, (row, decision) in enumerate(zip(rows, decided, strict=True))
        ),
        "slip_places": SLIP_PLACES.frame((*place, number) for number, row in enumerate(rows) for place in row.places),
        "unknown_words": _unknown_table(unknown, texts, facts.accepted),
        "site_words": SITE_WORDS.frame(words),
        "contradictions": _contradictions_table(disagreements, texts),
        "set_apart": SET_APART.frame((word,) for word in texts.set_apart),
    }  # fmt: skip
    return Proofread(tables, checks, lacking, disagreements)


def proof_facts(site: Site, accepted: Mapping[tuple[str, str], str], settings: Settings) -> ProofFacts:
    """What proofreading knows of a site that was just read."""
    names = [_name(page.url, page.title, page.h1) for page in site.pages]
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
    merging = set(plan.loc[plan["action"].isin([Action.MERGE, Action.CANONICAL]), "proposal"])
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
    checks = [one for one in found.checks if one.check != CheckId.TEXT_CONTRADICTS]
    checks += [check for one in disagreements for check in _contradiction_checks(one, texts)]
    tables = {**found.tables, "contradictions": _contradictions_table(disagreements, texts)}
    return Proofread(tables, checks, found.not_computed, disagreements)


def _contradictions_table(disagreements: Iterable[Disagreement], texts: ProofTexts) -> pd.DataFrame:
    return CONTRADICTIONS.frame(
        (
            one.text, one.slot, one.value, len(one.rows), one.other_value, len(one.other_rows),
            texts.urls[one.other_rows[0]], texts.urls[one.rows[0]] if one.rows else "", one.sentence,
        )
        for one in disagreements
    )  # fmt: skip


def own_words(settings: Proof) -> frozenset[str]:
    """Words that are right by the file in the settings, in lower case.

    Raises
    ------
    SettingsError
        If it cannot be read.
    """
    if not settings.words:
        return frozenset()
    path = Path(settings.words)
    try:
        if path.stat().st_size > _LARGEST_LIST:
            raise SettingsError(f"proof.words: {path} is larger than {_LARGEST_LIST // 1_000_000} MB; name a list of words")
        lines = path.read_text("utf-8-sig").splitlines()
    except (OSError, UnicodeError) as error:
        raise SettingsError(
            f"proof.words: {path} cannot be read ({error}); name a UTF-8 file with one word a line"
        ) from error
    return frozenset(word.strip().lower() for word in lines if word.strip() and not word.startswith("#"))


def _technical(texts: ProofTexts, numbers: Sequence[int]) -> Callable[[int], bool]:
    is_about_code = len(texts.set_apart) >= _TECHNICAL_WORDS

    def is_technical(number: int) -> bool:
        return is_about_code or any(row in texts.pages_with_code for row in texts.pages_of(numbers[number]))

    return is_technical


def spelling_names(languages: Iterable[str]) -> set[str]:
    """What spelling is called among what could not be computed."""
    return {str(sentence("lacking.spelling")), *map(_spelling_of, languages)}


def _spelling_of(language: str) -> str:
    return str(sentence("lacking.spelling-of", language=language))


class _Looked(NamedTuple):
    """What dictionaries say of the texts of one language."""

    found: list[_Found]
    unknown: Mapping[str, Sequence[Place]]
    words: list[tuple[str, int, bool]]
    variants: Variants | None


def _look_up(
    shown: Sequence[str], language: str, right: Collection[str], texts: ProofTexts, settings: Proof
) -> _Looked | None:
    """Misspelt words, unknown ones and variants; None without a dictionary."""
    dictionaries = find_dictionaries(language, settings.dictionaries)
    if not dictionaries:
        return None
    with ExitStack() as stack:
        known = Dictionaries(dictionaries, stack, settings)
        languages = sorted({*texts.by_language, "en"} - {language})
        foreign = [one for other in languages for one in find_dictionaries(other, settings.dictionaries)]
        others = Dictionaries(foreign, stack, settings)
        judges = Judges(
            known.knows, others.knows, right, known.stems, has_variants=len(dictionaries) > 1 or language != "en"
        )
        spelling = check_spelling(shown, language, judges, settings)
        uses = count_words(shown, language).uses
        variants = None
        if len(dictionaries) > 1:
            asked = [word for word in uses if word not in right]
            variants = find_variants(
                {word: uses[word] for word in asked}, known.by_variant([*asked, *counterparts(asked)]), settings.variants
            )
        found = [
            _Found(CheckId.TEXT_MISSPELT, one.word, one.right, place, one.uses_of_right)
            for one in spelling.wrong
            for place in one.places
        ]
        if variants is not None and _is_mixed(variants, settings):
            found += _odd_words(shown, language, variants)
        is_known = known.knows(sorted(uses))
    words = [(word, uses[word], known_) for word, known_ in zip(sorted(uses), is_known, strict=True)]
    return _Looked(found, spelling.unknown, words, variants)


class Dictionaries:
    """Dictionaries of one language, or of several, that are asked together.

    Parameters
    ----------
    dictionaries : sequence of Dictionary
        They are opened when they are asked first.
    stack : ExitStack
        Closes them.
    """

    def __init__(self, dictionaries: Sequence[Dictionary], stack: ExitStack, settings: Proof) -> None:
        self._dictionaries, self._stack, self._settings = dictionaries, stack, settings
        self._open: dict[Dictionary, Speller] = {}
        self._known: dict[Dictionary, dict[str, bool]] = {one: {} for one in dictionaries}

    def knows(self, words: Sequence[str]) -> list[bool]:
        """For each word whether any of them knows it."""
        left = list(words)
        for one in self._dictionaries:
            answers = self._asked(one, left)
            left = [word for word in left if not answers[word]]
        unknown = frozenset(left)
        return [word not in unknown for word in words]

    def stems(self) -> Iterator[str]:
        """Words that they list, without their forms."""
        return (word for one in self._dictionaries for word in stems_of(one))

    def by_variant(self, words: Sequence[str]) -> dict[str, frozenset[str]]:
        """By the tag of each dictionary the words that it knows."""
        result = {}
        for one in self._dictionaries:
            answers = self._asked(one, words)
            result[one.variant] = frozenset(word for word in words if answers[word])
        return result

    def _asked(self, one: Dictionary, words: Sequence[str]) -> Mapping[str, bool]:
        known = self._known[one]
        new = [word for word in dict.fromkeys(words) if word not in known]
        if new:
            if one not in self._open:
                self._open[one] = self._stack.enter_context(opened(one, self._settings.dictionary_s))
            known.update(zip(new, self._open[one].knows(new), strict=True))
        return known


def _is_mixed(variants: Variants, settings: Proof) -> bool:
    """Whether a site writes words in a variant that is not its own, if it has one."""
    return bool(variants.odd) and (bool(variants.words) or variants.main in settings.variants)


def _odd_words(shown: Sequence[str], language: str, variants: Variants) -> Iterator[_Found]:
    """Where the words of the other variant stand."""
    pieces = count_words(shown, language).pieces
    sought = {piece: word for word in variants.odd for piece in pieces[word]}
    for number, text in enumerate(shown):
        if sought.keys().isdisjoint(text.split()):
            continue
        at = 0
        for piece in text.split():
            at = text.index(piece, at)
            word = sought.get(piece)
            if word is not None:
                start = text.lower().find(word.lower(), at)
                if start >= 0:
                    place = Place(number, start, start + len(word))
                    yield _Found(CheckId.TEXT_VARIANTS_MIXED, word, variants.odd[word], place)
            at += len(piece)


def _rows(
    found: Iterable[_Found], language: str, numbers: Sequence[int], texts: ProofTexts, template_pages: int
) -> Iterator[_Row]:
    """Slips put together: one row for a text that several pages have, for a template, and else for a page."""
    by_slip: dict[tuple[CheckId, str, str, int], list[Place]] = defaultdict(list)
    for one in found:
        place = Place(numbers[one.place.text], one.place.start, one.place.end)
        by_slip[one.check, one.written, one.right, one.uses_of_right].append(place)
    for (check, written, right, uses), places in by_slip.items():
        for where, own in _told_apart(places, language, texts, template_pages):
            spots = tuple(
                sorted(
                    (int(texts.page[at]), int(texts.block[at]), one.start, one.end)
                    for one in own
                    for at in texts.places_of(one.text, language)
                )
            )
            pages = tuple(sorted({spot[0] for spot in spots}))
            shown = _around(texts.texts[own[0].text], own[0])
            yield _Row(check, written, right, where, language, pages, shown, uses, spots)


def _told_apart(
    places: Iterable[Place], language: str, texts: ProofTexts, template_pages: int
) -> Iterator[tuple[SlipPlace, list[Place]]]:
    """Places of one slip: those of each text that several pages have, of a template, of each page."""
    by_text: dict[int, list[Place]] = defaultdict(list)
    for place in places:
        by_text[place.text].append(place)
    single: dict[tuple[str, str], list[tuple[int, Place]]] = defaultdict(list)
    for text, own in by_text.items():
        pages = texts.pages_of(text, language)
        if bool(texts.is_boilerplate[texts.places_of(text, language)].any()):
            yield SlipPlace.BOILERPLATE, own
        elif len(pages) > 1:
            yield SlipPlace.PASSAGE, own
        else:
            for place in own:
                single[_beside(texts.texts[text], place)].append((pages[0], place))
    alone: dict[int, list[Place]] = defaultdict(list)
    for alike in single.values():
        if len({page for page, _ in alike}) >= template_pages:
            yield SlipPlace.TEMPLATE, [place for _, place in alike]
        else:
            for page, place in alike:
                alone[page].append(place)
    for own in alone.values():
        yield SlipPlace.PAGE, own


def _beside(text: str, place: Place) -> tuple[str, str]:
    """The words before and after a place."""
    before, after = text[: place.start].split(), text[place.end :].split()
    return before[-1] if before else "", after[0] if after else ""


def _around(text: str, place: Place) -> str:
    """The part of a text around a place."""
    start, end = max(place.start - _SHOWN, 0), min(place.end + _SHOWN, len(text))
    start = text.find(" ", start, place.start) + 1 if start else 0
    end = max(text.rfind(" ", place.end, end), place.end) if end < len(text) else end
    return f"{'… ' if start else ''}{text[start:end]}{' …' if end < len(text) else ''}"


def _decision(row: _Row, accepted: Mapping[tuple[str, str], str]) -> str:
    return accepted.get((str(row.check), folded_line(row.written)), "")


def _checks(row: _Row, decision: str, texts: ProofTexts) -> Iterator[PageCheck]:
    """The troubles of pages that a row is, unless a person said that it is right, or all of them are one finding."""
    if decision == Decision.ACCEPT or row.check == CheckId.TEXT_VARIANTS_MIXED:
        return
    n = len(row.pages)
    shared = ""
    if row.where in (SlipPlace.BOILERPLATE, SlipPlace.TEMPLATE):
        shared = str(sentence(f"slip.where.{row.where}", n=n, words=row.written))
    detail = sentence("slip.detail" if row.right else "slip.detail-open", right=row.right, text=row.sentence)
    for page in row.pages:
        yield PageCheck(texts.urls[page], row.check, row.written, str(detail), n_pages=n, template=shared)


def _variant_check(
    language: str, variants: Variants, rows: Sequence[_Row], texts: ProofTexts, settings: Proof
) -> Iterator[PageCheck]:
    """One finding about a site that writes two variants."""
    if not _is_mixed(variants, settings):
        return
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
            texts.urls[row], CheckId.TEXT_CONTRADICTS, one.other_value, str(stated), is_urgent=one.slot in _URGENT,
            n_pages=len(one.other_rows),
        )  # fmt: skip


def _unknown_table(
    unknown: Iterable[tuple[str, str, Sequence[Place]]], texts: ProofTexts, accepted: Mapping[tuple[str, str], str]
) -> pd.DataFrame:
    def row(language: str, word: str, places: Sequence[Place]) -> tuple[object, ...]:
        pages = sorted({page for place in places for page in texts.pages_of(place.text, language)})
        return word, language, len(places), len(pages), texts.urls[pages[0]], accepted.get(("", word.lower()), "")

    return UNKNOWN_WORDS.frame(row(*one) for one in unknown)
