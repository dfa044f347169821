"""What a writer needs to know of a draft, in Markdown.

In:  a report on drafts.
Out: one text, a section a draft.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from mardok.deliver.briefs import markdown_text
from mardok.sentences import Text, clipped, page_name, percent, quoted, sentence

if TYPE_CHECKING:
    from mardok.beside.linking import WaitingLink
    from mardok.drafts.advice import DraftFinding
    from mardok.drafts.alike import Pasted, Relative
    from mardok.drafts.job import CheckedDraft, DraftReport
    from mardok.drafts.linking import LinkOut

_MOST_LINKS, _MOST_PASSAGES, _LONGEST_PASSAGE = 15, 40, 400


def draft_brief(report: DraftReport) -> str:
    """The brief for all drafts of a report."""
    return "\n".join(line for one in report.drafts for line in _lines(one)) + "\n"


def _lines(one: CheckedDraft) -> Iterator[str]:
    draft = one.draft
    yield f"# {markdown_text(draft.name)}"
    yield ""
    yield f"**{markdown_text(str(one.sentence))}**"
    yield ""
    for finding in one.findings[1:]:
        yield f"- {markdown_text(str(finding_text(finding)))}"
    for finding in one.findings[:1]:
        yield f"- {markdown_text(str(sentence('draft.answer.unless', unless=finding.unless)))}"
    yield ""
    yield from _section(sentence("draft.part.queries"), (query_text(row) for row in one.queries))
    yield from _section(sentence("draft.part.relatives"), map(relative_text, one.alike.relatives))
    if one.alike.pasted:
        yield f"## {sentence('draft.part.pasted')}"
        yield ""
        yield markdown_text(str(pasted_summary(one)))
        yield ""
        for passage in one.alike.pasted[:_MOST_PASSAGES]:
            yield f"- {markdown_text(passage_text(passage, _LONGEST_PASSAGE))}"
        yield ""
    yield from _section(sentence("draft.part.facts"), (fact.text for fact in one.proof.facts))
    yield from _section(sentence("draft.part.slips"), (slip.text for slip in one.proof.slips))
    yield from _section(sentence("draft.part.head"), (trouble.text for trouble in one.heads.troubles))
    if one.heads.series is not None:
        yield markdown_text(str(series_text(one)))
        yield ""
    if one.heads.outline:
        yield f"## {sentence('draft.part.outline')}"
        yield ""
        for level, text in one.heads.outline:
            yield f"{'  ' * (level - 1)}- H{level} {markdown_text(clipped(text, 120))}"
        yield ""
    yield from _section(sentence("draft.part.links-in"), (link_text("link-in", link) for link in one.links_in[:_MOST_LINKS]))
    yield from _section(
        sentence("draft.part.links-out"), (link_text("link-out", link) for link in one.links_out[:_MOST_LINKS])
    )


def _section(heading: Text, texts: Iterable[Text]) -> Iterator[str]:
    lines = [f"- {markdown_text(str(text))}" for text in texts]
    if lines:
        yield from (f"## {heading}", "", *lines, "")


def finding_text(finding: DraftFinding) -> Text:
    """One more reason, in a line."""
    page = page_name(finding.url) if "//" in finding.url else finding.url
    return sentence("draft.answer.finding", page=page, reason=finding.reason)


def query_text(row: dict[str, object]) -> Text:
    """A page that search shows already, in a line."""
    return sentence(
        "draft.answer.query", phrase=quoted(str(row["phrase"])), page=page_name(str(row["url"])), position=row["position"],
        impressions=row["impressions"], clicks=row["clicks"],
    )  # fmt: skip


def relative_text(relative: Relative) -> Text:
    """A page whose text a draft repeats, in a line."""
    return sentence(
        "draft.answer.relative", page=page_name(relative.url), resemblance=percent(relative.resemblance),
        inside=percent(relative.draft_in_page), held=percent(relative.page_in_draft),
    )  # fmt: skip


def pasted_summary(one: CheckedDraft) -> Text:
    """How much of a draft stands on the site already."""
    n_copied = sum(not passage.is_boilerplate for passage in one.alike.pasted)
    if not n_copied:
        return sentence("draft.answer.copied-none")
    return sentence("draft.answer.copied", share=one.alike.copied_share, n=n_copied)


def passage_text(passage: Pasted, longest: int) -> str:
    """A passage that stands on the site already, with where it does.

    Parameters
    ----------
    longest : int
        Characters of the passage that are told.
    """
    kind = "boilerplate" if passage.is_boilerplate else "pasted"
    where = sentence(f"draft.answer.{kind}", page=page_name(passage.url), n=passage.pages, words=passage.words)
    return f"{where} {clipped(passage.text, longest)}"


def series_text(one: CheckedDraft) -> Text:
    """The series that a draft falls into."""
    series = one.heads.series
    assert series is not None  # asked for such only
    name = "series-taken" if series.same_slot else "series"
    page = page_name(series.same_slot) if series.same_slot else ""
    return sentence(f"draft.answer.{name}", pattern=series.pattern, slot=quoted(series.slot), n=series.pages, page=page)


def link_text(key: str, link: WaitingLink | LinkOut) -> Text:
    """A link to or from a draft that waits to be made, in a line.

    Parameters
    ----------
    key : str
        Name of the sentence.
    """
    return sentence(f"draft.answer.{key}", page=page_name(link.url), anchor=quoted(link.anchor), text=link.sentence)
