"""Steps to titles and links, and repairs of what the checks found.

In:  a planned step, and the states before and after.
Out: a verdict.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from mardok.rechecking.state import State, Trouble
from mardok.rechecking.verdict import UNSEEN, Compared, PlannedStep, Verdict, named, verdict
from mardok.sentences import Text, clipped, counted, listing, path_of, sentence
from mardok.text.words import words
from mardok.vocabulary import WORD_CHECKS, CheckId, Found, Outcome, Owner, StepKind

_NAMED, _QUOTED = 3, 80


def verify_retitle(step: PlannedStep, compared: Compared) -> Verdict:
    """Whether the title of a page has changed as asked."""
    before, after = compared.before, compared.after
    there, row = before.row_of.get(step.url, -1), compared.page_now(step.url)
    if there < 0 or isinstance(row, Verdict):
        return UNSEEN if there < 0 or not isinstance(row, Verdict) else row
    was, now = str(before.cell("title", there)), str(after.cell("title", row))
    name, phrase = str(step.basis.get("name", "")), str(step.basis.get("phrase", ""))
    if was and not now:
        return verdict(Outcome.OTHERWISE, Found.TITLE_MISSING)
    if now == was and (name or after.cell("h1", row) == before.cell("h1", there)):
        return verdict(Outcome.NOT_DONE, Found.TITLE_UNCHANGED, title=now)
    if name and _says(now, name):
        return verdict(Outcome.NOT_DONE, Found.TITLE_STILL_SAYS, title=now, phrase=name)
    if phrase and _says(now, phrase):
        return verdict(Outcome.OTHERWISE, Found.TITLE_STILL_SAYS, title=now, phrase=phrase)
    if (step.url, CheckId.TITLE_DUPLICATE) in after.troubles:
        return verdict(Outcome.OTHERWISE, Found.TITLE_TAKEN, title=now)
    return verdict(Outcome.DONE, Found.RETITLED, title=now)


def _says(title: str, phrase: str) -> bool:
    return f" {' '.join(words(phrase))} " in f" {' '.join(words(title))} "


@dataclass(frozen=True)
class LinkChecks:
    """Links that were to be changed or made."""

    compared: Compared
    steps: Sequence[PlannedStep]
    """All steps of the plan."""

    @cached_property
    def _before(self) -> Mapping[str, Mapping[int, Sequence[bool]]]:
        return self._links(self.compared.before)

    @cached_property
    def _after(self) -> Mapping[str, Mapping[int, Sequence[bool]]]:
        return self._links(self.compared.after)

    def _links(self, state: State) -> Mapping[str, Mapping[int, Sequence[bool]]]:
        """The links that any of the steps is about."""
        relinks = [step for step in self.steps if step.step == StepKind.RELINK]
        targets, everywhere = (
            frozenset(url for step in own for url in (step.target, step.pattern_value) if url)
            for own in (relinks, [step for step in relinks if step.owner == Owner.DEVELOPER])
        )
        pages = {step.url for step in relinks}
        pages |= {state.way(url).end for url in pages}
        return state.links_to(targets, [state.row_of[url] for url in pages if url in state.row_of], everywhere)

    def verify(self, step: PlannedStep) -> Verdict:
        """Whether a page links to the target, and no longer to the old address where there is one."""
        row = self.compared.page_now(step.url)
        if isinstance(row, Verdict):
            return row
        there = self.compared.before.row_of.get(step.url, -1)
        old = step.pattern_value
        if not old:
            linked = self._after.get(step.target, {}).get(row, ())
            was = self._before.get(step.target, {}).get(there, ())
            is_linked = len(linked) > len(was) or any(not in_chrome for in_chrome in linked)
            if is_linked:
                return verdict(Outcome.DONE, Found.LINKED, target=named(step.target, step))
            return verdict(Outcome.NOT_DONE, Found.NOT_LINKED, target=named(step.target, step))
        was_on = self._before.get(old, {})
        if step.owner == Owner.DEVELOPER:  # one edit of a template; of a single page it is the editor's work
            return self._of_template(step, was_on)
        n_was, n_now = len(was_on.get(there, ())), len(self._after.get(old, {}).get(row, ()))
        return self._counted(step, n_was, n_now, is_linked=bool(self._after.get(step.target, {}).get(row)))

    def _of_template(self, step: PlannedStep, was_on: Mapping[int, Sequence[bool]]) -> Verdict:
        """The verdict about a link that a template puts on many pages."""
        before, after = self.compared.before, self.compared.after
        urls = before.column("url")
        rows = {after.row_of[urls[page]] for page in was_on if urls[page] in after.row_of}
        rows = {row for row in rows if after.cell("status", row) in (None, 200)}
        left = [row for row in rows if row in self._after.get(step.pattern_value, {})]
        linked = any(row in self._after.get(step.target, {}) for row in rows)
        where = listing([path_of(after.column("url")[row]) for row in sorted(left)], most=_NAMED)
        return self._counted(step, len(rows), len(left), is_linked=linked, where=where)

    def _counted(self, step: PlannedStep, n_was: int, n_now: int, *, is_linked: bool, where: Text = "") -> Verdict:
        told = {
            "old": named(step.pattern_value, step),
            "target": named(step.target, step) if step.target else "",
            "was": counted("link", n_was),
            "all": n_was,
            "left": n_now,
            "where": sentence("recheck.links-left", pages=where) if n_now and str(where) else "",
        }
        if n_now >= max(n_was, 1):
            return verdict(Outcome.NOT_DONE, Found.LINKS_AS_BEFORE, **told)
        if n_now:
            return verdict(Outcome.PARTLY, Found.LINKED_PARTLY, **told)
        if step.target and not is_linked:
            return verdict(Outcome.PARTLY, Found.LINK_DROPPED, **told)
        return verdict(Outcome.DONE, Found.LINKED, **told)


def verify_repair(step: PlannedStep, compared: Compared, can_check: bool) -> Verdict:
    """Whether what a check found is gone from a page, or from the pages of a template.

    Parameters
    ----------
    can_check : bool
        Whether the later audit could find it at all.
    """
    before, after = compared.before, compared.after
    row = after.row_of.get(step.url, -1)
    if row < 0:
        return UNSEEN
    if not can_check:
        return verdict(Outcome.NOT_TESTABLE, Found.NOT_CHECKED)
    was = _about(step, before.troubles.get((step.url, step.rule), []))
    now = _about(step, after.troubles.get((step.url, step.rule), []))
    if was and all(trouble.is_template for trouble in was):
        return _repaired_template(step, compared)
    there = before.row_of.get(step.url, -1)
    if there >= 0 and not now and before.cell("status", there) in (None, 200):
        # A page that is gone has no trouble, and that is not what was asked.
        page = compared.page_now(step.url)
        if isinstance(page, Verdict):
            return page
        now = _about(step, after.troubles.get((str(after.cell("url", page)), step.rule), []))
        if not now and before.cell("indexable", there) and not after.cell("indexable", page):
            # What is not in the index is not checked.
            return verdict(Outcome.NOT_TESTABLE, Found.NOT_INDEXABLE, reason=after.cell("reason", page))
    told = {"trouble": _trouble(step.rule, [one.value for one in now])}
    if not now:
        return verdict(Outcome.DONE, Found.REPAIRED, **told)
    if len(now) < len(was) or _number(now[0].value) < _number(was[0].value if was else ""):
        return verdict(Outcome.PARTLY, Found.REPAIRED_PARTLY, **told)
    if _what_is_wrong(step, now) != _what_is_wrong(step, was):
        return verdict(Outcome.OTHERWISE, Found.CHANGED_NOT_REPAIRED, **told)
    return verdict(Outcome.NOT_DONE, Found.NOT_REPAIRED, **told)


def _about(step: PlannedStep, troubles: Sequence[Trouble]) -> list[Trouble]:
    """Of the troubles of a check those that a step is about: of words the one that it names."""
    is_word = step.rule in WORD_CHECKS and bool(step.pattern_value)
    return [one for one in troubles if not is_word or one.value == step.pattern_value]


def _what_is_wrong(step: PlannedStep, troubles: Iterable[Trouble]) -> Counter[tuple[str, str]]:
    """Figures and texts of some troubles; of a redirect where it leads, too. Of others the detail may name other pages."""
    is_way = step.rule.startswith("redirect-")
    return Counter((one.value, one.detail if is_way else "") for one in troubles)


def _trouble(check: str, values: Iterable[str]) -> Text:
    """What a check finds, with the figures or texts that are wrong."""
    shown = listing([clipped(value, _QUOTED) for value in dict.fromkeys(values) if value], most=_NAMED)
    trouble = sentence(f"check.{check}.trouble")
    return sentence("recheck.trouble", trouble=trouble, values=shown) if str(shown) else trouble


def _number(value: str) -> float:
    return float(value) if value.isascii() and value.isdigit() and len(value) < 16 else float("inf")


def _repaired_template(step: PlannedStep, compared: Compared) -> Verdict:
    """The verdict about a trouble that one edit of a template mends on many pages."""
    before, after = compared.before, compared.after
    seen = [
        url
        for url in before.of_templates.get(step.rule, frozenset())
        if url in after.row_of and after.cell("indexable", after.row_of[url])
        if _about(step, before.troubles[url, step.rule])
    ]
    left = [url for url in sorted(seen) if _about(step, after.troubles.get((url, step.rule), []))]
    told = {"trouble": _trouble(step.rule, ()), "left": len(left), "pages": counted("page", len(seen))}
    if not left:
        return verdict(Outcome.DONE, Found.REPAIRED, **told)
    outcome = Outcome.PARTLY if len(left) < len(seen) else Outcome.NOT_DONE
    return verdict(outcome, Found.TEMPLATE_LEFT, **told)
