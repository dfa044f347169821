"""Findings of two audits, told apart: gone, left, better, worse, new, on a new page, not seen.

In:  the states before and after.
Out: the table of changes. What was not crawled this time is not seen, never gone, and what cannot be compared is left out.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial

import pandas as pd

from mardok.rechecking.comparable import can_check
from mardok.rechecking.identity import Identity
from mardok.rechecking.state import State
from mardok.rechecking.verdict import Compared
from mardok.sentences import clauses, clipped, counted, sentence
from mardok.tables import CHANGES, cells_of
from mardok.vocabulary import Action, Answer, Change, CheckId, GroupKind, StepKind, Subject

_LEAST_SHARE = 0.5
"""Share of the pages that two findings have in common from which on they are one."""
_ON_GROUPS = frozenset([Action.MERGE, Action.CANONICAL, Action.REWRITE, Action.RETITLE, Action.INVESTIGATE])
"""Actions of which one may take the place of another."""
_DETAIL = 200

Row = tuple[str, str, str, str, float, float, str]


@dataclass(frozen=True)
class Finding:
    """A group or proposal: what it is about."""

    id: str
    kind: str
    """Kind of the group, or action."""
    members: frozenset[str]
    """Addresses, of repairs each with the check; by the names that they had before, where they had one."""
    url: str
    """The first page, or the one that stays."""
    text: str


def changes_table(compared: Compared, left_out: Collection[Subject]) -> pd.DataFrame:
    """The table of changes.

    Parameters
    ----------
    left_out : collection of Subject
        What cannot be compared.
    """
    identity = Identity(compared)
    rows: list[Row] = []
    if Subject.THIN not in left_out:
        rows += _thin_changes(compared, identity)
    if Subject.CHECK not in left_out:
        rows += _check_changes(compared, identity)
    for subject, findings in (
        (Subject.GROUP, _groups),
        (Subject.RIVALS, _rivals),
        (Subject.PROPOSAL, partial(_proposals, left_out=checks_left_out(compared))),
    ):
        if subject not in left_out:
            was, now = findings(compared.before, {}), findings(compared.after, identity.origin)
            rows += _finding_changes(subject, was, now, compared, identity)
    return CHANGES.frame(rows)


def checks_left_out(compared: Compared) -> list[CheckId]:
    """Checks that only one of the two audits could make."""
    metas = [state.audit.meta for state in (compared.before, compared.after)]
    return [check for check in CheckId if can_check(check, metas[0]) != can_check(check, metas[1])]


def _thin_changes(compared: Compared, identity: Identity) -> Iterator[Row]:
    was, now = (_thin_pages(state) for state in (compared.before, compared.after))
    for url, words in was.items():
        here = identity.now.get(url, "")
        is_left = Change.LEFT if here in now else Change.GONE
        change = is_left if identity.is_seen(url) else Change.NOT_SEEN
        yield Subject.THIN, "", url, change, words, now.get(here, float("nan")), _thin_detail(compared, url, here)
    for url, words in now.items():
        before = identity.origin.get(url, "")
        if before not in was:
            change = Change.NEW if before else Change.NEW_PAGE
            yield Subject.THIN, "", url, change, float("nan"), words, _thin_detail(compared, before, url)


def _thin_pages(state: State) -> dict[str, float]:
    """Own words of each thin page, all of its words where those are not known."""
    columns = zip(*(state.column(name) for name in ("url", "thin", "own_words", "words")), strict=True)
    return {url: float(words if own is None else own) for url, thin, own, words in columns if thin == Answer.YES}


def _thin_detail(compared: Compared, before: str, now: str) -> str:
    told = [
        str(state.cell("thin_reason", state.row_of[url]))
        for state, url in ((compared.after, now), (compared.before, before))
        if url in state.row_of
    ]
    return clipped(next(filter(None, told), ""), _DETAIL)


def _check_changes(compared: Compared, identity: Identity) -> Iterator[Row]:
    """Troubles page by page; those that a template makes in one row for each check and change."""
    left_out = set(checks_left_out(compared))
    before, after = compared.before.troubles, compared.after.troubles
    templates: dict[tuple[str, Change], list[tuple[str, bool, bool]]] = defaultdict(list)
    matched = set()
    for (url, check), was in before.items():
        if check in left_out:
            continue
        here = identity.now.get(url, "")
        now = after.get((here, check), [])
        matched.add((here, check))
        change = _of_counts(len(was), len(now)) if identity.is_seen(url) else Change.NOT_SEEN
        if any(one.is_template for one in (*was, *now)):
            templates[check, Change.LEFT if now else change].append((url, True, bool(now)))
        else:
            shown = now or was
            yield Subject.CHECK, check, url, change, len(was), len(now), _check_detail(check, shown[0].value)
    for (url, check), now in after.items():
        if (url, check) in matched or check in left_out:
            continue
        is_old = url in identity.origin or not compared.is_new(url)
        change = Change.NEW if is_old else Change.NEW_PAGE
        if any(one.is_template for one in now):
            templates[check, change].append((url, False, True))
        else:
            yield Subject.CHECK, check, url, change, 0, len(now), _check_detail(check, now[0].value)
    for (check, change), pages in templates.items():
        first = min(url for url, _, _ in pages)
        n_was, n_now = (sum(bool(page[at]) for page in pages) for at in (1, 2))
        of_template = sentence("recheck.of-template", pages=counted("page", len(pages)))
        yield Subject.CHECK, check, first, change, n_was, n_now, str(clauses(_trouble(check), of_template))


def _of_counts(was: int, now: int) -> Change:
    if not now:
        return Change.GONE
    return Change.LEFT if now == was else Change.WORSE if now > was else Change.BETTER


def _trouble(check: str) -> str:
    return str(sentence(f"check.{check}.trouble"))


def _check_detail(check: str, value: str) -> str:
    return clipped(f"{_trouble(check)}: {value}" if value else _trouble(check), _DETAIL)


def _groups(state: State, origin: Mapping[str, str]) -> list[Finding]:
    return _grouped(state, origin, (GroupKind.VARIANTS, GroupKind.COPIES, GroupKind.SERIES))


def _rivals(state: State, origin: Mapping[str, str]) -> list[Finding]:
    return _grouped(state, origin, (GroupKind.RIVALS,))


def _grouped(state: State, origin: Mapping[str, str], kinds: Collection[GroupKind]) -> list[Finding]:
    frame = state.audit.groups
    members: dict[str, list[str]] = defaultdict(list)
    about: dict[str, tuple[str, str]] = {}
    names = ["group", "kind", "url", "phrase"]
    for group, kind, url, phrase in cells_of(frame[frame["kind"].isin(kinds)], names):
        members[group].append(state.old(url))
        about[group] = (kind, phrase)
    result = []
    for group, urls in members.items():
        kind, phrase = about[group]
        told = sentence("recheck.group-phrase", kind=kind, phrase=phrase) if phrase else kind
        result.append(Finding(group, kind, frozenset(origin.get(url, url) for url in urls), urls[0], str(told)))
    return result


def _proposals(state: State, origin: Mapping[str, str], left_out: Collection[str] = ()) -> list[Finding]:
    """What is proposed, without what rests on checks that are left out."""
    plan, steps = state.audit.plan, state.audit.steps
    resting = set(steps[steps["rule"].isin(left_out)]["proposal"])
    steps = steps[~steps["rule"].isin(left_out)]
    plan = plan[(plan["action"] != Action.LEAVE) & ~plan["proposal"].isin(resting - set(steps["proposal"]))]
    members: dict[str, dict[str, None]] = defaultdict(dict)
    steps = steps[steps["proposal"].isin(plan["proposal"])]
    action_of = dict(zip(plan["proposal"], plan["action"], strict=True))
    for proposal, url, step, rule in cells_of(steps, ["proposal", "url", "step", "rule"]):
        is_repair = action_of[proposal] == Action.REPAIR
        if step != StepKind.RELINK or is_repair:
            old = state.old(url)
            old = origin.get(old, old)
            members[proposal][f"{rule} {old}" if is_repair else old] = None
    first = {proposal: next(iter(urls)).rpartition(" ")[2] for proposal, urls in members.items()}
    names = ["proposal", "action", "keeper", "summary"]
    return [
        Finding(proposal, action, frozenset(members[proposal]), state.old(keeper) or first.get(proposal, ""), summary)
        for proposal, action, keeper, summary in cells_of(plan, names)
    ]


def matched_proposals(compared: Compared) -> dict[str, str]:
    """Id of the earlier proposal for each later one that is the same."""
    was = _proposals(compared.before, {})
    now = _proposals(compared.after, Identity(compared).origin)
    return {later.id: earlier.id for earlier, later in _matches(was, now)}


def _matches(was: Iterable[Finding], now: Iterable[Finding]) -> list[tuple[Finding, Finding]]:
    """Findings that are the same: of equal id and kind first, then those with most in common."""
    earlier, later = {one.id: one for one in was}, {one.id: one for one in now}
    result = [(earlier[name], later[name]) for name in earlier if name in later]
    free_was = {name: one for name, one in earlier.items() if name not in later}
    free_now = {name: one for name, one in later.items() if name not in earlier}
    having: dict[str, list[str]] = defaultdict(list)
    for one in free_now.values():
        for member in one.members:
            having[member].append(one.id)
    ranked = []
    for one in free_was.values():
        common: dict[str, int] = defaultdict(int)
        for member in one.members:
            for name in having.get(member, ()):
                common[name] += 1
        for name, n in common.items():
            share = _share(one, free_now[name], n)
            if share >= _LEAST_SHARE:
                ranked.append((-n / max(len(one.members), len(free_now[name].members)), one.id, name))
    used: set[str] = set()
    for _, old, new in sorted(ranked):
        if old not in used and new not in used:
            used |= {old, new}
            result.append((free_was[old], free_now[new]))
    return result


def _share(one: Finding, other: Finding, n_common: int) -> float:
    """How much two findings have in common: of the smaller if they are of one kind, else of the larger."""
    sizes = len(one.members), len(other.members)
    if one.kind == other.kind:
        return n_common / min(sizes)
    return n_common / max(sizes) if {one.kind, other.kind} <= _ON_GROUPS else 0.0


def _finding_changes(
    subject: Subject, was: list[Finding], now: list[Finding], compared: Compared, identity: Identity
) -> Iterator[Row]:
    pairs = _matches(was, now)
    before, after = compared.before.row_of, compared.after.row_of
    for old, new in pairs:
        there = [member for member in new.members if _url(member) in before]
        is_whole = all(identity.is_seen(_url(member)) for member in old.members if _url(member) in before)
        change = _of_counts(len(old.members), len(there)) if there else Change.LEFT
        # Pages of one pattern are no trouble, however many; and what was not seen is not better.
        if GroupKind.SERIES in (old.kind, new.kind) or (change == Change.BETTER and not is_whole):
            change = Change.LEFT
        if change == Change.LEFT and len(new.members) > len(there):
            change = Change.NEW_PAGE
        yield subject, old.id, old.url, change, len(old.members), len(new.members), clipped(new.text, _DETAIL)
    matched = {one.id for pair in pairs for one in pair}
    for old in was:
        if old.id not in matched:
            is_whole = all(identity.is_seen(_url(member)) for member in old.members if _url(member) in before)
            change = Change.GONE if is_whole else Change.NOT_SEEN
            yield subject, old.id, old.url, change, len(old.members), 0, clipped(old.text, _DETAIL)
    for new in now:
        if new.id not in matched:
            is_new = any(_url(member) not in before and _url(member) in after for member in new.members)
            change = Change.NEW_PAGE if is_new else Change.NEW
            yield subject, new.id, new.url, change, 0, len(new.members), clipped(new.text, _DETAIL)


def _url(member: str) -> str:
    """The address of a member."""
    return member.rpartition(" ")[2]
