"""The authored texts of the made-up site.

In:  the text files in ``content``: sections of ``=== address``, fields, ``---`` and paragraphs in a small markup.
Out: one :class:`Article` for each section.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from importlib.resources import files

from mardok.demo import troubles


@dataclass(frozen=True)
class Article:
    """One authored page."""

    path: str
    body: str
    fields: Mapping[str, str] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """Title without the site's part."""
        return self.fields.get("title", "")

    @property
    def tags(self) -> list[str]:
        """Tags of a blog post."""
        return [tag.strip() for tag in self.fields.get("tags", "").split(",") if tag.strip()]

    @property
    def is_german(self) -> bool:
        """Whether it stands under the German addresses."""
        return self.path.startswith("/de/")

    @property
    def queries(self) -> list[tuple[str, float, float]]:
        """Queries the page is shown for: text, impressions a week, mean position."""
        stated = filter(None, (query.strip() for query in self.fields.get("queries", "").split(";")))
        parts = (query.split("|") for query in stated)
        return [(text, float(impressions), float(position)) for text, impressions, position in parts]


def read_text(name: str) -> str:
    """A file of the folder ``content``."""
    return (files("mardok.demo") / "content" / name).read_text("utf-8")


def articles(name: str) -> Iterator[Article]:
    """Articles of a file of the folder ``content``, in order."""
    for section in read_text(name).split("=== ")[1:]:
        head, _, body = section.partition("\n---\n")
        path, *lines = head.strip().split("\n")
        pairs = (line.partition(":") for line in lines)
        yield Article(path.strip(), body.strip(), {key.strip(): value.strip() for key, _, value in pairs})


def town_articles() -> Iterator[Article]:
    """The town pages: most from one pasted text, some with a paragraph of their own, two wholly their own."""
    templates = {article.path: article for article in articles("series.txt")}
    pasted = templates["towns"]
    for line in read_text("towns.txt").strip().split("\n"):
        town, impressions, position, extra = line.split("|")
        body = pasted.body.replace("{town}", town) + (f"\n\n{extra}" if extra else "")
        shown = {key: value.replace("{town}", town) for key, value in pasted.fields.items()}
        if float(impressions):
            shown["queries"] = f"violin hire {town.casefold()}|{impressions}|{position}"
        yield Article(f"/violin-hire/{town.casefold().replace(' ', '-')}/", body, shown)
    for town in ("wyndale", "thistlemere"):
        own = templates[f"town {town}"]
        yield Article(f"/violin-hire/{town}/", own.body, own.fields)


SIZES = {
    "1/16": ("three to four", "fourteen"),
    "1/10": ("four to five", "fifteen"),
    "1/8": ("five to six", "seventeen"),
    "1/4": ("six to seven", "eighteen and a half"),
    "1/2": ("seven to nine", "twenty"),
    "3/4": ("nine to eleven", "twenty-two"),
    "4/4": ("eleven", "twenty-three and a half"),
}
_ASKED_SIZES = {"1/4": (44, 5.1), "1/2": (96, 4.6), "3/4": (88, 4.9)}


def size_articles() -> Iterator[Article]:
    """The size pages, all from one pasted text."""
    pasted = next(article for article in articles("series.txt") if article.path == "sizes")
    for size, (age, arm) in SIZES.items():
        body = pasted.body.replace("{size}", size).replace("{age}", age).replace("{arm}", arm)
        shown = {key: value.replace("{size}", size) for key, value in pasted.fields.items()}
        if size in _ASKED_SIZES:
            impressions, position = _ASKED_SIZES[size]
            shown["queries"] = f"{size} violin hire|{impressions}|{position}; {size} size violin|{impressions / 2}|7.5"
        yield Article(f"/hire/sizes/{size.replace('/', '-')}/", body, shown)


def all_articles() -> list[Article]:
    """Every authored page of the site."""
    result = [
        article
        for name in ("firm.txt", "repairs.txt", "instruments.txt", "blog.txt", "german.txt")
        for article in articles(name)
    ]
    return [_with_slip(article) for article in (*result, *town_articles(), *size_articles())]


def _with_slip(article: Article) -> Article:
    """The article with the slip that is laid into it, if one is."""
    if article.path not in troubles.SLIPS:
        return article
    right, written = troubles.SLIPS[article.path]
    if right not in article.body:
        raise ValueError(f"{article.path}: does not say {right!r}")
    return replace(article, body=article.body.replace(right, written, 1))
