"""Tickets: what one person closes in one go, with a test that says when it is done.

In:  accepted proposals with their steps.
Out: a table of tickets, and for each owner a list in Markdown.

Each step that asks for work is in exactly one ticket. Steps of one proposal that one owner does are one ticket; repairs are
one for each trouble, since each is looked for elsewhere. Links that wait to be made are one for each page they are set on,
so that an editor opens it once. Redirects and retired addresses that need nobody else first are one
ticket, since the files for servers hold them all; where text has to be moved first they wait for the ticket that moves it.
"""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import pandas as pd

from mardok.cells import neutral_cell
from mardok.deliver.briefs import markdown_text, records
from mardok.findings.groups import group_id
from mardok.plan.effort import step_rates
from mardok.sentences import Sentence, Text, clipped, counted, hours, listing, page_name, quoted, sentence
from mardok.settings import Settings
from mardok.vocabulary import CheckId, LinkRule, Owner, StepKind

TICKETS_FILE = "tickets.csv"
_COLUMNS = ("ticket", "owner", "title", "description", "test", "proposal", "steps", "hours")
_SERVER_STEPS = (StepKind.REDIRECT, StepKind.RETIRE)
_MOST_TOLD = 40
"""Steps of a ticket that are told one by one; the others are in ``steps.csv``."""
_LONGEST = 300
"""Characters that are told of a step."""


_LONGEST_ANCHOR = 60
_LINKS = "links"
"""What is told of links that wait to be made."""
Anchors = Mapping[tuple[str, str], Sequence[str]]
"""Words of the links from a page to an address."""


@dataclass(frozen=True)
class Ticket:
    """One unit of work."""

    id: str
    owner: Owner
    title: str
    lines: Sequence[str]
    """What is to be done, one line a step."""
    about: Sequence[str]
    """Summaries of the proposals it is part of."""
    waits: str
    """Id of the ticket that has to be closed first; ``""`` if none."""
    tests: Sequence[str]
    """What holds when it is done."""
    proposals: Sequence[str]
    steps: str
    """The steps, such as ``0123456789/2-4 0123456789/7``."""
    hours: float


def tickets(chosen: pd.DataFrame, steps: pd.DataFrame, anchors: Anchors, settings: Settings) -> list[Ticket]:
    """Tickets for the proposals that are handed over, in the order of the plan.

    Parameters
    ----------
    chosen : DataFrame
        The proposals, best first.
    steps : DataFrame
        Their steps.
    anchors : mapping of tuple to sequence of str
        Words of the links from a page to an address.
    settings : Settings
        With the hours that each kind of step takes.
    """
    by_proposal = {row["proposal"]: row for row in records(chosen)}
    work = steps[steps["step"] != StepKind.LEAVE]
    in_parts: dict[tuple[str, str, str], list[dict[str, Any]]] = defaultdict(list)
    for proposal in by_proposal:
        own = records(work[work["proposal"] == proposal].sort_values("order"))
        moves_text = any(step["step"] == StepKind.MOVE_TEXT for step in own)
        for step in own:
            is_installed = step["step"] in _SERVER_STEPS and not moves_text
            part = str(step["rule"]) if step["rule"] in tuple(CheckId) else ""
            if step["rule"] in tuple(LinkRule):
                in_parts["", step["owner"], step["url"]].append(step)
            else:
                in_parts["" if is_installed else proposal, step["owner"], part].append(step)
    spent = _hours_of(by_proposal, work, settings)
    movers = {
        own[0]["proposal"]: _id(key, own)
        for key, own in in_parts.items()
        if any(step["step"] == StepKind.MOVE_TEXT for step in own)
    }
    result = []
    for key, own in in_parts.items():
        about = [by_proposal[proposal] for proposal in dict.fromkeys(step["proposal"] for step in own)]
        waits = movers.get(own[0]["proposal"], "") if key[1] == Owner.SERVER and key[0] else ""
        result.append(
            Ticket(
                id=_id(key, own), owner=Owner(key[1]), title=_title(own), lines=_lines(own, anchors),
                about=[str(row["summary"]) for row in about], waits=waits, tests=_tests(own),
                proposals=[str(row["proposal"]) for row in about], steps=_references(own),
                hours=round(sum(spent[step["proposal"], step["order"]] for step in own), 2),
            )
        )  # fmt: skip
    return result


def anchors_of(links: pd.DataFrame, urls: Sequence[str], asked: Collection[str]) -> dict[tuple[str, str], list[str]]:
    """Words of the links from each page to some addresses.

    Parameters
    ----------
    links : DataFrame
        All links of the audit.
    urls : sequence of str
        Address of each page, by its row.
    asked : collection of str
        Addresses that links lead to.
    """
    hit = links[links["url"].isin(asked).to_numpy()]
    result: dict[tuple[str, str], list[str]] = defaultdict(list)
    for page, url, anchor in hit[["page", "url", "anchor"]].itertuples(index=False, name=None):
        own = result[urls[page], str(url)]
        if anchor and anchor not in own:
            own.append(str(anchor))
    return dict(result)


def _id(key: tuple[str, str, str], steps: Sequence[Mapping[str, Any]]) -> str:
    """The same for the same work, so that tickets of two hand-overs can be told apart."""
    return group_id("ticket", [*key, *sorted({step["url"] for step in steps})])


def _hours_of(
    by_proposal: Mapping[str, Mapping[str, Any]], work: pd.DataFrame, settings: Settings
) -> dict[tuple[str, int], float]:
    """The hours of each proposal, shared among its steps by what each takes."""
    rates = step_rates(settings.plan.effort)
    result = {}
    for proposal, own in work.groupby("proposal", observed=True):
        weights = [rates[StepKind(step)] for step in own["step"]]
        total = sum(weights)
        effort = float(by_proposal[str(proposal)]["effort_hours"]) if str(proposal) in by_proposal else 0.0
        for order, weight in zip(own["order"].tolist(), weights, strict=True):
            result[str(proposal), int(order)] = effort * (weight / total if total else 1 / len(own))
    return result


def _title(steps: Sequence[Mapping[str, Any]]) -> str:
    """What is done to how many addresses; of a repair the fault."""
    counts: dict[str, int] = defaultdict(int)
    for step in steps:
        counts[_what(step)] += 1
    if set(counts) == {_LINKS}:
        return str(sentence("ticket.links", n=counts[_LINKS], page=page_name(steps[0]["url"])))
    parts = [_part(name, n) for name, n in counts.items()]
    text = str(listing(parts, most=len(parts)))
    return text[0].upper() + text[1:]


def _what(step: Mapping[str, Any]) -> str:
    """The trouble that a step repairs, or else its kind; of a link that waits to be made that it is one."""
    if step["rule"] in tuple(LinkRule):
        return _LINKS
    return str(step["rule"]) if step["rule"] in tuple(CheckId) else str(step["step"])


def _part(name: str, n: int) -> Text:
    if name in tuple(CheckId):
        return sentence("ticket.fix", fault=sentence(f"repair.fault.{name}", n=n))
    return sentence(f"ticket.part.{name}", n=n)


def _lines(steps: Sequence[Mapping[str, Any]], anchors: Anchors) -> list[str]:
    """What is to be done, one line a step; of a repair how it is done comes first."""
    checks = dict.fromkeys(str(step["rule"]) for step in steps if step["rule"] in tuple(CheckId))
    told = [str(sentence(f"check.{check}.mend")) for check in checks]
    told += [str(_line(step, anchors)) for step in steps[:_MOST_TOLD]]
    more = len(steps) - _MOST_TOLD
    return [*told, str(sentence("ticket.more", n=more))] if more > 0 else told


def _line(step: Mapping[str, Any], anchors: Anchors) -> Sentence:
    page, target, rule, old = step["url"], step["target"], step["rule"], step["pattern_value"]
    detail = clipped(str(step["detail"]), _LONGEST)
    if rule in (CheckId.LINK_BROKEN, CheckId.LINK_REDIRECTED):
        words = listing([quoted(clipped(text, _LONGEST_ANCHOR)) for text in anchors.get((page, old), ())])
        suggested = "new" if rule == CheckId.LINK_REDIRECTED else "suggested" if target else "unknown"
        end = sentence(f"ticket.target.{suggested}", target=target)
        return sentence("ticket.line.link" if str(words) else "ticket.line.image", page=page, words=words, old=old, end=end)
    if rule in (CheckId.REDIRECT_CHAIN, CheckId.REDIRECT_LOOP, CheckId.REDIRECT_BROKEN):
        name = str(rule) if target else f"{rule}-open"
        return sentence(f"ticket.line.{name}", page=page, target=target, old=old)
    if step["step"] in (StepKind.REDIRECT, StepKind.CANONICAL):
        return sentence("ticket.line.to", page=page, target=target, detail=detail)
    if target:
        return sentence("ticket.line.target", page=page, target=target, detail=detail)
    return sentence("ticket.line.plain", page=page, detail=detail)


def _tests(steps: Sequence[Mapping[str, Any]]) -> list[str]:
    names = dict.fromkeys("repair" if step["rule"] in tuple(CheckId) else _what(step) for step in steps)
    checks = listing(dict.fromkeys(str(step["rule"]) for step in steps if step["rule"] in tuple(CheckId)), most=20)
    return [str(sentence(f"ticket.test.{name}", checks=checks)) for name in names]


def _references(steps: Sequence[Mapping[str, Any]]) -> str:
    """Proposal and order of each step, runs of them as their ends."""
    orders: dict[str, list[int]] = defaultdict(list)
    for step in steps:
        orders[str(step["proposal"])].append(int(step["order"]))
    parts = []
    for proposal, own in orders.items():
        own.sort()
        begins = [own[0], *(b for a, b in pairwise(own) if b != a + 1)]
        ends = [*(a for a, b in pairwise(own) if b != a + 1), own[-1]]
        parts += [f"{proposal}/{a}" + (f"-{b}" if b != a else "") for a, b in zip(begins, ends, strict=True)]
    return " ".join(parts)


def tickets_csv(made: Iterable[Ticket]) -> str:
    """The tickets as CSV."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for ticket in made:
        description = "\n".join([*ticket.about, *_waiting(ticket), *ticket.lines])
        cells = [
            ticket.id, ticket.owner, ticket.title, description, "\n".join(ticket.tests), " ".join(ticket.proposals),
            ticket.steps, f"{ticket.hours:.2f}",
        ]  # fmt: skip
        writer.writerow([neutral_cell(str(cell)) for cell in cells])
    return buffer.getvalue()


def tickets_of_owner(owner: Owner, made: Sequence[Ticket]) -> str:
    """The tickets of one owner as Markdown."""
    total = sum(ticket.hours for ticket in made)
    lines = [
        f"# {sentence('ticket.list', owner=sentence(f'owner.{owner}'))}", "",
        str(sentence("ticket.total", tickets=counted("ticket", len(made)), hours=hours(_shown(total)))), "",
    ]  # fmt: skip
    for number, ticket in enumerate(made, start=1):
        lines += [f"## {number}. {markdown_text(ticket.title)}", ""]
        lines += [str(sentence("ticket.head", id=ticket.id, hours=hours(_shown(ticket.hours)))), ""]
        lines += [line for about in ticket.about[:_MOST_TOLD] for line in (f"- {markdown_text(about)}",)] + [""]
        waiting = _waiting(ticket)
        lines += [*(markdown_text(line) for line in waiting), *([""] if waiting else [])]
        lines += [f"### {sentence('ticket.to-do')}", "", *(f"- {markdown_text(line)}" for line in ticket.lines), ""]
        lines += [f"### {sentence('ticket.done')}", "", *(f"- {markdown_text(test)}" for test in ticket.tests), ""]
    return "\n".join(lines)


def _shown(value: float) -> float:
    """Hours as they are told: tenths, and not nothing."""
    return max(round(value, 1), 0.1)


def _waiting(ticket: Ticket) -> list[str]:
    return [str(sentence("ticket.waits", id=ticket.waits))] if ticket.waits else []


def ticket_files(made: Sequence[Ticket]) -> dict[str, str]:
    """The files, by their names below the folder."""
    by_owner = {owner: [ticket for ticket in made if ticket.owner == owner] for owner in Owner}
    lists = {f"tickets/{owner}.md": tickets_of_owner(owner, own) for owner, own in by_owner.items() if own}
    return {TICKETS_FILE: tickets_csv(made), **lists}
