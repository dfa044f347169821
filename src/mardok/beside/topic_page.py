"""The answer about a phrase as a brief for a writer, in Markdown, and as one HTML file in the look of the report.

In:  a :class:`mardok.beside.topic.TopicAnswer`.
Out: Markdown in which no sign of a page means anything; HTML that asks for nothing, runs nothing, and prints.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any
from urllib.parse import urlsplit

from mardok.beside.gaps import Suggestion
from mardok.deliver.briefs import markdown_text
from mardok.deliver.templating import page_style, rendered
from mardok.sentences import clipped, counted, listing, quoted, sentence
from mardok.vocabulary import Gap, PhraseField

if TYPE_CHECKING:
    from mardok.beside.page_view import PageView
    from mardok.beside.topic import TopicAnswer

_MOST_LINKS, _MOST_HEADINGS, _MOST_QUESTIONS = 30, 40, 20
_LONGEST = 160
_PLACES = (
    PhraseField.TITLE, PhraseField.H1, PhraseField.ADDRESS, PhraseField.DESCRIPTION, PhraseField.FIRST_SENTENCE,
    PhraseField.HEADINGS, PhraseField.TEXT,
)  # fmt: skip


def suggestion_text(one: Suggestion, most: int = 6) -> str:
    """A suggestion as a line of a brief, with the pages that show it.

    Parameters
    ----------
    most : int
        Pages that are named; the others are counted.
    """
    examples = listing([quoted(clipped(text, _LONGEST)) for text in one.examples], most=len(one.examples))
    has_example = bool(one.examples) and one.kind in (Gap.TABLE, Gap.LIST)
    return str(
        sentence(
            f"topic-answer.suggestion.{one.kind}-example" if has_example else f"topic-answer.suggestion.{one.kind}",
            text=quoted(clipped(one.text, _LONGEST)), examples=examples, pages=listing(one.pages, most=most),
        )
    )  # fmt: skip


def place_text(field: PhraseField, place: int) -> str:
    """Where a field holds the phrase, in words."""
    counts = (PhraseField.LINKS, PhraseField.HEADINGS, PhraseField.TEXT)
    if not place:
        return str(sentence("topic-answer.place.none"))
    return str(sentence(f"topic-answer.place.{field}" if field in counts else "topic-answer.place.word", n=place))


def field_name(field: PhraseField) -> str:
    """A field in words."""
    return str(sentence(f"topic-answer.field.{field}"))


def topic_brief(answer: TopicAnswer) -> str:
    """The brief, in Markdown."""
    return "\n".join(_brief_lines(answer)) + "\n"


def _brief_lines(answer: TopicAnswer) -> Iterator[str]:
    site = answer.on_site
    yield f"# {markdown_text(sentence('topic-answer.title', phrase=quoted(site.phrase)))}"
    yield ""
    yield markdown_text(site.sentence)
    yield ""
    if site.proposal is not None:
        yield markdown_text(_proposal_text(answer))
        yield ""
    yield from _section("suggestions", [markdown_text(suggestion_text(one)) for one in answer.suggestions])
    asked = (
        sentence("topic-answer.asked", query=quoted(one.query), words=one.missing, impressions=one.impressions)
        for one in answer.asked
    )
    yield from _section("asked", [markdown_text(one) for one in asked])
    told = (
        sentence("topic-answer.waiting", page=one.url, anchor=quoted(one.anchor), text=one.sentence)
        for one in site.linking.waiting[:_MOST_LINKS]
    )
    left = [sentence("topic-answer.not-looked-at", n=site.linking.n_left)] if site.linking.n_left else []
    yield from _section("links", [markdown_text(one) for one in (*told, *left)])
    common = (
        sentence("topic-answer.common", page=one.page, words=one.words, text=clipped(one.text, 400)) for one in answer.common
    )
    yield from _section("common", [markdown_text(one) for one in common])
    yield from _section("only-ours", [markdown_text(one) for one in answer.only_ours])
    yield from _section("promisers", [markdown_text(line) for line in _promiser_lines(answer)])
    yield from _section("shown", [markdown_text(line) for line in _shown_lines(answer)])
    if answer.others.pages:
        yield f"## {sentence('topic-answer.heading.side')}"
        yield ""
        yield from _side_by_side(_views(answer), answer)
    yield from _section("notes", [markdown_text(note) for note in answer.others.notes])


def _section(name: str, lines: Sequence[str]) -> Iterator[str]:
    if lines:
        yield f"## {sentence(f'topic-answer.heading.{name}')}"
        yield ""
        yield from (f"- {line}" for line in lines)
        yield ""


def _proposal_text(answer: TopicAnswer) -> str:
    row = answer.on_site.proposal or {}
    return str(sentence("topic-answer.proposal", rank=row["rank"], summary=row["summary"]))


def _promiser_lines(answer: TopicAnswer) -> Iterator[str]:
    for one in answer.on_site.promisers:
        told = [f"{field_name(field)} ({place_text(field, place)})" for field, place in one.places.items()]
        yield str(sentence("topic-answer.promiser", page=one.url, places=listing(told, most=len(told))))


def _shown_lines(answer: TopicAnswer) -> Iterator[str]:
    search = answer.on_site.searched
    for one in search.shown if search is not None else ():
        has_before = not math.isnan(one.clicks_before)
        yield str(
            sentence(
                "topic-answer.shown-before" if has_before else "topic-answer.shown", page=one.url, clicks=one.clicks_now,
                before=one.clicks_before if has_before else 0.0, impressions=one.impressions_now,
                position=one.position_now, queries=counted("query", one.n_queries),
            )
        )  # fmt: skip


def _views(answer: TopicAnswer) -> list[PageView]:
    return [*([answer.ours] if answer.ours is not None else []), *answer.others.pages]


def _side_by_side(views: Sequence[PageView], answer: TopicAnswer) -> Iterator[str]:
    rows = list(_side_rows(views, answer))
    yield f"| | {' | '.join(markdown_text(view.name) for view in views)} |"
    yield f"|---|{'---|' * len(views)}"
    for name, cells in rows:
        yield f"| {markdown_text(name)} | {' | '.join(markdown_text(clipped(cell, 120)) for cell in cells)} |"
    yield ""


def _side_rows(views: Sequence[PageView], answer: TopicAnswer) -> Iterator[tuple[str, list[str]]]:
    """What stands side by side: a name, and a cell a page."""
    places = [view.places(answer.phrase) for view in views]
    yield str(sentence("topic-answer.side.title")), [view.title for view in views]
    yield str(sentence("topic-answer.side.h1")), [view.h1 for view in views]
    for field in _PLACES:
        yield (
            str(sentence("topic-answer.side.holds", field=field_name(field))),
            [place_text(field, place[field]) for place in places],
        )
    for name, values in (
        ("words", [view.words for view in views]),
        ("headings", [len(view.headings) for view in views]),
        ("questions", [len(view.questions) for view in views]),
        ("cells", [view.n_cells for view in views]),
        ("items", [view.n_items for view in views]),
    ):
        yield str(sentence(f"topic-answer.side.{name}")), [f"{value:,}" for value in values]
    if any(view.inlinks is not None for view in views[1:]):
        told = ("" if view.inlinks is None else f"{view.inlinks:,}" for view in views)
        yield str(sentence("topic-answer.side.inlinks")), list(told)
    if any(view.stated_day for view in views):
        yield str(sentence("topic-answer.side.day")), [view.stated_day for view in views]


def topic_html(answer: TopicAnswer) -> str:
    """The page."""
    site = answer.on_site
    views = _views(answer)
    values: dict[str, Any] = {
        "answer": answer,
        "site": site,
        "host": urlsplit(site.meant).netloc,
        "version": answer.mardok,
        "title": str(sentence("topic-answer.title", phrase=quoted(site.phrase))),
        "proposal": _proposal_text(answer) if site.proposal is not None else "",
        "suggestions": [{"kind": one.kind, "n": len(one.pages), "text": suggestion_text(one)} for one in answer.suggestions],
        "promisers": [
            {"url": one.url, "title": one.title, "clicks": one.clicks, "inlinks": one.inlinks,
             "places": [(field_name(field), place_text(field, place)) for field, place in one.places.items()]}
            for one in site.promisers
        ],
        "shown": [
            {"url": one.url, "queries": one.n_queries,
             "figures": [_figure(value, decimals) for value, decimals in (
                 (one.impressions_now, 0), (one.clicks_now, 1), (one.clicks_before, 1), (one.position_now, 1),
                 (one.position_before, 1))]}
            for one in (site.searched.shown if site.searched is not None else ())
        ],
        "waiting": site.linking.waiting[:_MOST_LINKS],
        "n_waiting": len(site.linking.waiting),
        "not_looked_at": str(sentence("topic-answer.not-looked-at", n=site.linking.n_left)) if site.linking.n_left else "",
        "views": views,
        "side": list(_side_rows(views, answer)) if answer.others.pages else [],
        "most_headings": _MOST_HEADINGS,
        "most_questions": _MOST_QUESTIONS,
        **page_style("topic.css"),
    }  # fmt: skip
    return rendered("topic.html.j2", {"figure": _figure, "clip": lambda text: clipped(text, _LONGEST)}, values)


def _figure(value: float, decimals: int = 0) -> str:
    return "" if math.isnan(value) else f"{value:,.{decimals}f}"
