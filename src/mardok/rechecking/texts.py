"""Steps to texts: moved, rewritten, expanded, trimmed, translated.

In:  a planned step, and the states before and after.
Out: a verdict, measured on words as the brief's "Done means" asks.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property

from mardok.compare.resemblance import common_wording
from mardok.deliver.lacking import MovedText, lacking_blocks
from mardok.rechecking.state import State
from mardok.rechecking.verdict import UNSEEN, Compared, PlannedStep, Verdict, verdict
from mardok.sentences import clipped, counted, listing, quoted, sentence
from mardok.settings import Recheck
from mardok.text.stems import plain_words, stems
from mardok.text.words import words
from mardok.vocabulary import Answer, CheckId, Found, NoindexReason, Outcome

_SHINGLE, _RUN = 3, 8
"""Words of a shingle, and of a run that stands on two pages."""
_QUOTED, _MOST_QUOTED = 120, 3
_FOUND = 0.5
"""Share of a passage's words from which on it is not quoted as missing."""

Gram = tuple[str, ...]


class TextChecks:
    """What is asked of texts; what several steps of a proposal need is computed once."""

    def __init__(self, compared: Compared, rules: Recheck) -> None:
        self._compared, self._rules = compared, rules
        self._shared: dict[tuple[str, bool], Mapping[str, frozenset[Gram]]] = {}

    @cached_property
    def _can_read(self) -> bool:
        return self._compared.before.has_texts and self._compared.after.has_texts

    def verify_move(self, step: PlannedStep) -> Verdict:
        """Which of the passages that only the page that goes had stand on the page that stays."""
        before, after = self._compared.before, self._compared.after
        there, kept = before.row_of.get(step.url, -1), before.row_of.get(step.target, -1)
        if there < 0 or kept < 0:
            return UNSEEN
        row = self._compared.page_now(step.target)
        if isinstance(row, Verdict):
            return row
        if not self._can_read:
            return verdict(Outcome.NOT_TESTABLE, Found.NO_TEXTS)
        passages = lacking_blocks(before.text(kept), _moved_text(before, there))
        # Of a block of which the page that stays had a part the rest was to be moved.
        was, now = (words_found(passages, text) for text in (before.text(kept), after.text(row)))
        unique = [[at for at, had in enumerate(marks) if not had] for marks in was]
        n_words = sum(map(len, unique))
        if not n_words:
            return verdict(Outcome.DONE, Found.NOTHING_TO_MOVE)
        arrived = [sum(marks[at] for at in own) for marks, own in zip(now, unique, strict=True)]
        share = sum(arrived) / n_words
        lost = [
            passage
            for passage, own, n in zip(passages, unique, arrived, strict=True)
            if len(own) >= _SHINGLE and n < _FOUND * len(own)
        ]
        told = {
            "share": share,
            "words": counted("word", n_words),
            "missing": listing([quoted(clipped(passage, _QUOTED)) for passage in lost], most=_MOST_QUOTED),
        }
        if share >= self._rules.moved_share:
            return verdict(Outcome.DONE, Found.TEXT_ARRIVED, **told)
        if share <= self._rules.lost_share:
            return verdict(Outcome.NOT_DONE, Found.TEXT_MISSING, **told)
        return verdict(Outcome.PARTLY, Found.TEXT_PARTLY, **told)

    def verify_rewrite(self, step: PlannedStep) -> Verdict:
        """Whether a page differs from the others of its proposal, and from what it was."""
        compared, rules = self._compared, self._rules
        before, after = compared.before, compared.after
        there, row = before.row_of.get(step.url, -1), compared.page_now(step.url)
        if there < 0 or isinstance(row, Verdict):
            return UNSEEN if there < 0 or not isinstance(row, Verdict) else row
        if not self._can_read:
            return verdict(Outcome.NOT_TESTABLE, Found.NO_TEXTS)
        same = common_wording(before.text(there), after.text(row)).resemblance
        if same >= rules.unchanged:
            return verdict(Outcome.NOT_DONE, Found.TEXT_UNCHANGED, share=same)
        was, now = (_most_alike(state, step) for state in (before, after))
        quoted_before = self._shared_runs(step, is_before=True).get(step.url, frozenset())
        quoted_now = self._shared_runs(step, is_before=False).get(step.url, frozenset())
        left = len(quoted_before & quoted_now) / len(quoted_before) if quoted_before else 0.0
        told = {"was": was, "now": now, "left": left}
        if now < rules.alike and left <= rules.lost_share:
            return verdict(Outcome.DONE, Found.APART, **told)
        if now < rules.alike or left < 1 - rules.lost_share:
            return verdict(Outcome.PARTLY, Found.LESS_ALIKE, **told)
        return verdict(Outcome.OTHERWISE, Found.STILL_ALIKE, **told)

    def _shared_runs(self, step: PlannedStep, *, is_before: bool) -> Mapping[str, frozenset[Gram]]:
        """For each page of a step's proposal the runs of words that stand on another of them, too."""
        key = (step.proposal, is_before)
        if key not in self._shared:
            state = self._compared.before if is_before else self._compared.after
            runs = {url: _runs(words(state.text(state.row_of[url])), _RUN) for url in step.urls if url in state.row_of}
            pages = Counter(run for own in runs.values() for run in own)
            self._shared[key] = {url: frozenset(run for run in own if pages[run] > 1) for url, own in runs.items()}
        return self._shared[key]

    def verify_expand(self, step: PlannedStep) -> Verdict:
        """Whether a page has more words of its own, and answers the queries that were named."""
        before, after = self._compared.before, self._compared.after
        there, row = before.row_of.get(step.url, -1), self._compared.page_now(step.url)
        if there < 0 or isinstance(row, Verdict):
            return UNSEEN if there < 0 or not isinstance(row, Verdict) else row
        was, now = before.cell("own_words", there), after.cell("own_words", row)
        if not self._can_read or was is None or now is None:
            return verdict(Outcome.NOT_TESTABLE, Found.NO_TEXTS)
        asked = step.basis.get("queries_of", {}).get(step.url) or step.basis.get("queries_named", ())
        unanswered = [query for query in asked if not _is_answered(query, after, row)]
        missing = listing([quoted(query) for query in unanswered], most=_MOST_QUOTED)
        told = {
            "was": was,
            "now": counted("own-word", now),
            "asked": counted("query", len(asked)),
            "missing": sentence("recheck.unanswered", queries=missing) if unanswered else "",
        }
        has_grown = now >= was * (1 + self._rules.grown_share) and now > was
        if has_grown and not unanswered and after.cell("thin", row) != Answer.YES:
            return verdict(Outcome.DONE, Found.EXPANDED, **told)
        return (
            verdict(Outcome.PARTLY, Found.EXPANDED_PARTLY, **told)
            if has_grown
            else verdict(Outcome.NOT_DONE, Found.NOT_EXPANDED, **told)
        )

    def verify_trim(self, step: PlannedStep) -> Verdict:
        """Whether less than half of a page's words stand on other pages."""
        before, after = self._compared.before, self._compared.after
        there, row = before.row_of.get(step.url, -1), self._compared.page_now(step.url)
        if there < 0 or isinstance(row, Verdict):
            return UNSEEN if there < 0 or not isinstance(row, Verdict) else row
        was, now = _elsewhere(before, there), _elsewhere(after, row)
        if was is None or now is None:
            return verdict(Outcome.NOT_TESTABLE, Found.NO_TEXTS)
        told = {"was": was, "now": now}
        if now < self._rules.trimmed_share and now < was:
            return verdict(Outcome.DONE, Found.TRIMMED, **told)
        if now <= was * (1 - self._rules.grown_share):
            return verdict(Outcome.PARTLY, Found.TRIMMED_PARTLY, **told)
        return verdict(Outcome.NOT_DONE, Found.NOT_TRIMMED, **told)

    def verify_translate(self, step: PlannedStep) -> Verdict:
        """Whether the text of a page is in the language it is meant for."""
        before, after = self._compared.before, self._compared.after
        there, row = before.row_of.get(step.url, -1), self._compared.page_now(step.url)
        if there < 0 or isinstance(row, Verdict):
            return UNSEEN if there < 0 or not isinstance(row, Verdict) else row
        if after.cell("noindex_reason", row) == NoindexReason.NOINDEX:
            return verdict(Outcome.OTHERWISE, Found.NOT_INDEXABLE, reason=after.cell("reason", row))
        was, now = before.cell("language", there), after.cell("language", row)
        if not now:
            return verdict(Outcome.NOT_TESTABLE, Found.NOT_CHECKED)
        if now == was:
            return verdict(Outcome.NOT_DONE, Found.STILL_UNTRANSLATED, language=now)
        declared = after.cell("declared_language", row).partition("-")[0]
        is_wrong = (step.url, CheckId.TEXT_UNTRANSLATED) in after.troubles or declared not in ("", now)
        found = Found.OTHER_LANGUAGE if is_wrong else Found.TRANSLATED
        return verdict(Outcome.OTHERWISE if is_wrong else Outcome.DONE, found, language=now)


def words_found(passages: Iterable[str], text: str) -> list[list[bool]]:
    """For each word of some passages whether it stands in a text within a run of three words of the passage.

    Examples
    --------
    >>> words_found(["Bring the bow.", "Rosin it well first."], "You may bring the bow to us on Monday.")
    [[True, True, True], [False, False, False, False]]
    """
    there = words(text)
    known, single = _runs(there, _SHINGLE), frozenset(there)
    result = []
    for passage in passages:
        own = words(passage)
        covered = [len(own) < _SHINGLE and single.issuperset(own)] * len(own)
        for at in range(len(own) - _SHINGLE + 1):
            if tuple(own[at : at + _SHINGLE]) in known:
                covered[at : at + _SHINGLE] = [True] * _SHINGLE
        result.append(covered)
    return result


def _runs(there: Sequence[str], length: int) -> frozenset[Gram]:
    """Every run of so many words."""
    return frozenset(tuple(there[at : at + length]) for at in range(len(there) - length + 1))


def _moved_text(state: State, row: int) -> MovedText:
    blocks, teasers = (state.audit.tables.of_page(name, row) for name in ("blocks", "teasers"))
    boilerplate = [text for text, reason in zip(blocks["text"], blocks["reason"], strict=True) if reason == "boilerplate"]
    shown = tuple(zip(teasers["word"], teasers["words"], strict=True))
    return MovedText(state.text(row), str(state.cell("h1", row)), tuple(boilerplate), shown)


def _most_alike(state: State, step: PlannedStep) -> float:
    """The greatest resemblance of a page to another of its proposal; 0 below what an audit keeps."""
    others = {*step.urls} - {step.url}
    return max((share for url, share in state.alike.get(step.url, ()) if url in others), default=0.0)


def _is_answered(query: str, state: State, row: int) -> bool:
    """Whether a page says every word of a query, function words and endings apart."""
    language = str(state.cell("language", row))
    asked = [word for word in words(query) if word not in plain_words(language)]
    text = " ".join([state.text(row), *(str(state.cell(name, row)) for name in ("title", "h1"))])
    return set(stems(asked, language)) <= set(stems(words(text), language))


def _elsewhere(state: State, row: int) -> float | None:
    """Share of a page's words that also stand on other pages."""
    shared, boilerplate = state.cell("shared_words", row), state.cell("boilerplate_words", row)
    n_words = state.cell("words", row)
    return None if shared is None or boilerplate is None or not n_words else float(shared + boilerplate) / n_words
