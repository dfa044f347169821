"""Drafts against an audit.

In:  an audit, drafts as files, or a page that is planned only.
Out: a :class:`DraftReport`: for each draft what follows, and everything it rests on.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations
from os import PathLike
from pathlib import Path
from typing import Any

from mardok.audits import Audit, load
from mardok.beside.linking import WaitingLink
from mardok.compare.resemblance import common_wording
from mardok.drafts.advice import DraftFinding, finding, findings_of
from mardok.drafts.alike import Alike, find_alike
from mardok.drafts.draft import Draft, read_drafts
from mardok.drafts.heads import Heads, find_heads
from mardok.drafts.known import KnownSite
from mardok.drafts.linking import LinkOut, links_in, links_out
from mardok.drafts.promised import Promised, find_promised, shown_queries
from mardok.drafts.proofing import DraftProof, proof_draft
from mardok.drafts.reading import DraftFile, planned_draft, read_draft
from mardok.errors import SelectionError
from mardok.progress import Progress, tell_nobody
from mardok.sentences import Sentence, page_name, sentence
from mardok.settings import Settings
from mardok.vocabulary import DraftAdvice, DraftRule

_MOST_QUERIES = 20
_MUCH_PASTED = 0.2
"""Share of a draft that stands on other pages, from which the first sentence says so."""
_NOTHING = Alike((), (), 0.0)


@dataclass(frozen=True)
class CheckedDraft:
    """One draft, and what follows."""

    draft: Draft
    findings: tuple[DraftFinding, ...]
    """What speaks against publishing it as it is, the weightiest first."""
    alike: Alike
    promised: Promised
    heads: Heads
    links_in: tuple[WaitingLink, ...]
    """Pages that mention what it is about and could link to it."""
    links_out: tuple[LinkOut, ...]
    """What it mentions of ours and does not link."""
    proof: DraftProof
    """Words that are wrong, and figures that the site states otherwise."""

    @property
    def advice(self) -> DraftAdvice:
        """What follows."""
        return self.findings[0].advice if self.findings else DraftAdvice.GO_ON

    @property
    def sentence(self) -> Sentence:
        """The same in a sentence."""
        if not self.findings:
            is_pasted = self.alike.copied_share >= _MUCH_PASTED
            share = self.alike.copied_share
            return sentence("draft.verdict.go-on-pasted", share=share) if is_pasted else sentence("draft.verdict.go-on")
        first = self.findings[0]
        page = page_name(first.url) if "//" in first.url else first.url
        return sentence(f"draft.verdict.{first.advice}", page=page, reason=first.reason)

    @property
    def queries(self) -> list[dict[str, Any]]:
        """Pages that search shows already for what it promises: ``phrase``, ``url`` and figures a month."""
        return [
            {str(name): value for name, value in row.items()}
            for row in shown_queries(self.promised, self.draft, _MOST_QUERIES).to_dict("records")
        ]

    def as_dict(self) -> dict[str, Any]:
        """Everything, for programs."""
        draft = self.draft
        return {
            "draft": draft.name,
            "url": draft.url,
            "title": draft.page.title,
            "h1": draft.page.h1,
            "language": draft.language,
            "words": len(draft.words),
            "phrases": [phrase.text for phrase in draft.phrases],
            "advice": self.advice,
            "sentence": str(self.sentence),
            "findings": [
                {**asdict(one), "reason": str(one.reason), "unless": str(one.unless)} for one in self.findings
            ],
            "relatives": [
                {name: value for name, value in asdict(one).items() if name != "row"} for one in self.alike.relatives
            ],
            "copied_share": round(self.alike.copied_share, 6),
            "pasted": [asdict(one) for one in self.alike.pasted],
            "queries": self.queries,
            "head": [
                {"check": one.check or "", "value": one.value, "detail": one.detail, "text": str(one.text)}
                for one in self.heads.troubles
            ],
            "outline": [list(one) for one in self.heads.outline],
            "series": asdict(self.heads.series) if self.heads.series is not None else None,
            "slips": [asdict(one) for one in self.proof.slips],
            "facts": [asdict(one) for one in self.proof.facts],
            "not_proofread": self.proof.lacking,
            "links_in": [asdict(one) for one in self.links_in],
            "links_out": [asdict(one) for one in self.links_out],
        }  # fmt: skip


@dataclass(frozen=True)
class DraftReport:
    """Drafts, and what follows for each."""

    drafts: tuple[CheckedDraft, ...]
    mardok: str
    made: str
    """When the audit was made, ISO 8601."""

    @property
    def is_clear(self) -> bool:
        """Whether none of the drafts would be a copy or a rival."""
        return all(one.advice == DraftAdvice.GO_ON for one in self.drafts)

    def as_dict(self) -> dict[str, Any]:
        """Everything, for programs."""
        return {"mardok": self.mardok, "audit_made": self.made, "drafts": [one.as_dict() for one in self.drafts]}

    def brief(self) -> str:
        """What a writer needs to know, in Markdown."""
        from mardok.drafts.brief import draft_brief  # only here: most callers print or count

        return draft_brief(self)


def check_draft(
    audit: Audit | str | PathLike[str],
    *drafts: str | PathLike[str],
    phrases: Sequence[str] = (),
    title: str = "",
    urls: Sequence[str] = (),
    settings: Settings | None = None,
    progress: Progress | None = None,
) -> DraftReport:
    """What an audited site has already of what a draft says and promises, and which links wait for it.

    Parameters
    ----------
    audit : Audit or path
        The audit, or its folder.
    *drafts : path
        HTML, Markdown, plain text or .docx; several are compared with each other, too. Without any, a page that is planned
        only is asked about by its phrases or its title.
    phrases : sequence of str
        What the one draft is about; else title and H1 tell it.
    title : str
        Title of a page that is planned only.
    urls : sequence of str
        Where each draft is to stand, one each; a page that stands there is the draft itself and not compared.
    settings : Settings, optional
        With other limits than those of the audit.
    progress : callable
        Called with the step at hand.

    Returns
    -------
    DraftReport
        One entry a draft, in their order.

    Raises
    ------
    SourceError
        If a draft cannot be read.
    SelectionError
        If there is nothing to ask about, or an address is not one of the site.
    FolderError
        If the audit cannot be read.
    """
    made = audit if isinstance(audit, Audit) else load(audit)
    if settings is not None:
        made = Audit(made.tables, made.meta.model_copy(update={"settings": settings}))
    progress = progress or tell_nobody
    progress("reading drafts", 0)
    files = _files([Path(draft) for draft in drafts], phrases, title, made.meta.settings)
    if urls and len(urls) != len(files):
        raise SelectionError(
            f"--url: give one address a draft, in their order; there are {len(files)} drafts and {len(urls)}"
        )
    known = KnownSite(made)
    read = read_drafts(known, files, urls or [""] * len(files), phrases, is_planned=not drafts)
    progress("comparing with the site", len(read))
    among = _among_each_other(read, made.meta.settings)
    return DraftReport(
        tuple(_checked(known, draft, among.get(number, ())) for number, draft in enumerate(read)),
        made.meta.mardok,
        made.meta.made,
    )


def _files(paths: Sequence[Path], phrases: Sequence[str], title: str, settings: Settings) -> list[DraftFile]:
    if paths and title:
        raise SelectionError("--title: is for a page that is planned only; a draft says its own")
    if len(paths) > 1 and phrases:
        raise SelectionError("--phrase: says what one draft is about; name one FILE")
    if not paths and not title and not phrases:
        raise SelectionError("nothing to compare: name a FILE, or say what is planned with --phrase or --title")
    most_bytes = int(settings.crawl.max_page_mb * 1_000_000)
    return [read_draft(path, most_bytes) for path in paths] or [planned_draft(title, phrases)]


def _checked(known: KnownSite, draft: Draft, others: Iterable[DraftFinding]) -> CheckedDraft:
    alike = _NOTHING if draft.is_planned else find_alike(known, draft)
    promised = find_promised(known, draft)
    return CheckedDraft(
        draft,
        (*findings_of(known, draft, alike, promised), *others),
        alike,
        promised,
        find_heads(known, draft) if draft.page.title else Heads((), (), None),
        tuple(links_in(known, draft)),
        tuple(links_out(known, draft)) if not draft.is_planned else (),
        proof_draft(known, draft) if not draft.is_planned else DraftProof(),
    )


def _among_each_other(drafts: Sequence[Draft], settings: Settings) -> Mapping[int, list[DraftFinding]]:
    """For drafts that say or promise the same the other one."""
    result: dict[int, list[DraftFinding]] = defaultdict(list)
    for (a, one), (b, other) in combinations(enumerate(drafts), 2):
        if one.language != other.language:
            continue
        shared = common_wording(one.text, other.text)
        is_contained = max(shared.a_in_b, shared.b_in_a) >= settings.pairs.containment
        is_long = min(len(one.words), len(other.words)) >= settings.pairs.containment_words
        if shared.resemblance >= settings.copies.resemblance or (is_contained and is_long):
            share = max(shared)
            result[a].append(finding(DraftRule.DRAFT_ALIKE, other.name, share=share))
            result[b].append(finding(DraftRule.DRAFT_ALIKE, one.name, share=share))
            continue
        same = next((phrase for phrase in one.phrases if _is_promised(phrase.stems(one.language), other)), None)
        if same is not None:
            result[a].append(finding(DraftRule.DRAFT_PROMISES, other.name, phrase=same.text))
            result[b].append(finding(DraftRule.DRAFT_PROMISES, one.name, phrase=same.text))
    return result


def _is_promised(stems: Sequence[str], draft: Draft) -> bool:
    return any(set(stems) == set(phrase.stems(draft.language)) for phrase in draft.phrases)
