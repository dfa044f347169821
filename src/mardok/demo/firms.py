"""Other firms of the made-up trade: their pages about one phrase, and two whole sites to compare with.

In:  the authored texts ``content/rivals.txt`` and ``content/firms.txt``.
Out: files of HTML; what is planted in them stands in the tables below, written by hand.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from html import escape
from pathlib import Path

from mardok.demo.content import articles

PHRASE = "violin hire"
PLANTED = {
    "question": "damaged",
    "heading": "minimum period",
    "table": "",
    "phrase": "teacher discount",
}
"""What two of the six pages or more have and ours has not, by its kind: a word of it."""
ONLY_ONE = "left-handed"
"""What one of them has, which is no reason to do anything."""
COPIED = "ninepin-music.example"
"""Who has copied a sentence of our home page."""

_MENU = {"": "Home", "hire/": "Hire", "instruments/": "Instruments", "advice/": "Advice"}
_ADVICE_TITLE = "{title}: what we tell everybody who comes to our counter with this question in the morning"


@dataclass(frozen=True)
class Firm:
    """A firm whose whole site is made up."""

    host: str
    name: str
    has_alt: bool
    """Whether the template of its instruments gives pictures an alt text."""
    has_descriptions: bool
    pasted: str
    """A paragraph that stands on each page of a town; ``""`` if these have texts of their own."""


FIRMS = (
    Firm(
        "corbel-strings.example",
        "Corbel Strings",
        has_alt=False,
        has_descriptions=True,
        pasted="",
    ),
    Firm(
        "ninepin-music.example",
        "Ninepin Music",
        has_alt=True,
        has_descriptions=False,
        pasted="Ninepin Music brings the violin to your door on a Thursday, takes the old one back, and shows your child "
        "how the shoulder rest is set. Nothing is paid before it has been played for a week. The bow comes haired, the case "
        "has a key, and the rosin is wrapped in paper with a drawing on it. If the size turns out wrong, the driver has the "
        "next one in the van. Schools get a list with the names of the violins, so that each child learns to know its own.",
    ),
)


def write_rivals(folder: Path) -> None:
    """Write the pages of others about the phrase, as a browser saves them."""
    folder.mkdir(parents=True, exist_ok=True)
    for page in articles("rivals.txt"):
        host = page.path.partition("/")[0]
        head = (
            f"<title>{escape(page.title)}</title><meta name=description content='{escape(page.fields['description'])}'>"
            f"<link rel=canonical href='https://{page.path}'>"
        )
        frame = f"<header><a href='https://{host}/'>{host}</a></header><main>{page.body}</main><footer>{host}</footer>"
        (folder / f"{host}.html").write_text(
            f"<!DOCTYPE html><html lang=en><head>{head}</head><body>{frame}</body></html>\n"
        )


def write_firm(firm: Firm, folder: Path) -> None:
    """Write a whole site as a folder of HTML."""
    pages = list(_pages(firm))
    menu = "".join(f"<a href='/{path}'>{name}</a> " for path, name in _MENU.items())
    for path, title, description, body in pages:
        place = folder / path / "index.html"
        place.parent.mkdir(parents=True, exist_ok=True)
        told = f"<meta name=description content='{escape(description)}'>" if firm.has_descriptions else ""
        place.write_text(
            f"<!DOCTYPE html><html lang=en><head><title>{escape(title)} | {firm.name}</title>{told}</head><body>"
            f"<nav>{menu}</nav><main><h1>{escape(title)}</h1>{body}</main><footer>{firm.name}</footer></body></html>\n",
            "utf-8",
        )


def _pages(firm: Firm) -> Iterator[tuple[str, str, str, str]]:
    """Path, title, description and body of each page."""
    own = list(articles("firms.txt"))
    listed = {path: [one for one in own if one.path.startswith(path)] for path in _MENU if path}
    first = "".join(f"<p><a href='/{path}'>{of[0].title} and {len(of) - 1} more</a></p>" for path, of in listed.items())
    yield "", f"{firm.name}, violins by the month", f"{firm.name} hires out violins, cellos and bows.", (
        f"<p>{firm.name} has hired out violins since the old pier stood. We have one rule: whoever practises may keep the "
        f"instrument as long as it is played. Everything else can be talked about at the counter, by letter or on the "
        f"stairs, and most of it is settled before the kettle boils.</p>{first}"
    )  # fmt: skip
    for path, of in listed.items():
        links = "".join(f"<li><a href='/{one.path}'>{escape(one.title)}</a></li>" for one in of)
        yield path, f"{_MENU[path]} at {firm.name}", f"{_MENU[path]}: {len(of)} pages.", f"<ul>{links}</ul>"
    for one in own:
        text, title = one.body, one.title
        if firm.pasted and one.path.startswith("hire/"):
            text = firm.pasted
        if firm.has_alt and one.path.startswith("advice/"):
            title = _ADVICE_TITLE.format(title=one.title)
        picture = ""
        if one.path.startswith("instruments/"):
            alt = f" alt='The {one.title} from the front'" if firm.has_alt else ""
            picture = f"<img src='/pictures/{one.path.split('/')[1]}.jpg'{alt}>"
        yield one.path, title, f"{one.title}, told by {firm.name}.", f"{picture}<p>{text}</p>"
