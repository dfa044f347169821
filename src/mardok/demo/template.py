"""The pages of the made-up site as HTML.

In:  articles.
Out: HTML documents, with the furniture that makes main text hard to find: a mobile menu outside ``nav``, a cookie note,
     related posts.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from html import escape

from mardok.demo import troubles
from mardok.demo.content import Article

_NAV = (("/hire/", "Hire"), ("/hire/prices/", "Prices"), ("/instruments/", "Instruments"), ("/repairs/", "Repairs"),
        ("/violin-hire/", "Towns"), ("/blog/", "Blog"), ("/about/", "About"), ("/contact/", "Contact"))  # fmt: skip
_NAV_GERMAN = (("/de/mieten/", "Mieten"), ("/de/preise/", "Preise"), ("/de/reparatur/", "Reparatur"),
               ("/de/ueber-uns/", "Über uns"), ("/de/kontakt/", "Kontakt"))  # fmt: skip
_MOBILE_EXTRA = (("/hire/sizes/", "Sizes"), ("/hire/schools/", "Schools"), ("/delivery/", "Delivery"),
                 ("/faq/", "Questions"), ("/rental-calculator/", "Calculator"), ("/violin-rental/", "Rental"))  # fmt: skip
_FOOTER = (("/terms/", "Terms"), ("/privacy/", "Privacy"), ("/careers/", "Careers"), ("/gift-vouchers/", "Vouchers"),
           ("/team/", "Team"), ("/basket/", "Basket"))  # fmt: skip
_PASTED = (
    f"{troubles.BOILERPLATE}, a bow, a case, a cake of rosin and a spare set of strings. Instruments are exchanged without "
    "charge if they do not suit. You may end the hire at the end of any month; half of the first year's payments counts "
    "towards the price if you buy."
)


def page_html(article: Article, *, main: str, related: Sequence[tuple[str, str]], alternates: Mapping[str, str]) -> str:
    """One page.

    Parameters
    ----------
    main : str
        HTML of the page's own part below the heading.
    related : sequence of (path, title)
        Related posts, linked beside the text.
    alternates : mapping of str to str
        hreflang and path of the versions in other languages, itself included.
    """
    lang = "de" if article.is_german else "en"
    heading = _heading(article)
    return f"""<!DOCTYPE html>
<html lang="{lang}">
<head>
<meta charset="utf-8">
{_head(article, alternates)}</head>
<body>
<header><a href="/"><img src="/img/scroll.svg" alt="{troubles.SITE_NAME}"></a>
<nav><ul>{_items(_NAV_GERMAN if article.is_german else _NAV)}</ul>{_other_language(article)}</nav></header>
<div class="drawer"><ul>{_items((*_NAV, *_MOBILE_EXTRA))}</ul></div>
<div class="breadcrumb"><a href="/">Start</a> &rsaquo; <span>{escape(article.title)}</span></div>
<div id="content">
<article>
{heading}{main}
</article>
{_related(related, article.tags)}</div>
<div class="cookie-note"><p>This site keeps one cookie, which remembers that you have read this.
<button>All right</button></p></div>
<footer><h2>{troubles.HEADING_REPEATED}</h2><ul>{_items(_FOOTER)}</ul>
<p>&copy; 2026 {troubles.SITE_NAME}, The Old Mill, Wyndale</p></footer>
</body>
</html>
"""


def _head(article: Article, alternates: Mapping[str, str]) -> str:
    lines = []
    if article.path not in troubles.TITLE_MISSING:
        lines.append(f"<title>{escape(article.title)} | {troubles.SITE_NAME}</title>")
    if "description" in article.fields:
        lines.append(f'<meta name="description" content="{escape(article.fields["description"])}">')
    if "robots" in article.fields:
        lines.append(f'<meta name="robots" content="{escape(article.fields["robots"])}">')
    if "canonical" in article.fields:
        lines.append(f'<link rel="canonical" href="{troubles.url(article.fields["canonical"])}">')
    lines += [f'<link rel="alternate" hreflang="{code}" href="{troubles.url(path)}">' for code, path in alternates.items()]
    if data := _structured_data(article):
        lines.append(f'<script type="application/ld+json">{data}</script>')
    return "".join(line + "\n" for line in lines)


def _heading(article: Article) -> str:
    if article.path in troubles.H1_MISSING:
        return ""
    text = escape(article.fields.get("h1", article.title))
    if article.path in troubles.H1_IMAGE:
        return f'<h1><img src="/img/voucher.jpg" alt="{text}"></h1>\n'
    return f"<h1{' hidden' if article.path in troubles.H1_HIDDEN else ''}>{text}</h1>\n"


def _structured_data(article: Article) -> str:
    """What the page is, in the words of schema.org; only products and posts say so."""
    if "kind" in article.fields:
        return json.dumps({"@context": "https://schema.org", "@type": "Product", "name": article.title})
    if "date" in article.fields:
        stated = {"@type": "BlogPosting", "headline": article.title, "datePublished": article.fields["date"]}
        return json.dumps({"@context": "https://schema.org", **stated})
    return ""


def _items(links: Sequence[tuple[str, str]]) -> str:
    return "".join(f'<li><a href="{path}">{escape(text)}</a></li>' for path, text in links)


def _other_language(article: Article) -> str:
    return '<a href="/" lang="en">English</a>' if article.is_german else '<a href="/de/" lang="de">Deutsch</a>'


def _related(related: Sequence[tuple[str, str]], tags: Sequence[str]) -> str:
    if not related:
        return ""
    tagged = _items([(f"/blog/tag/{tag}/", tag) for tag in tags])
    return f"<aside><h2>Related posts</h2><ul>{_items(related)}</ul><ul>{tagged}</ul></aside>\n"


def list_html(entries: Sequence[tuple[str, str, str]]) -> str:
    """A listing: address, heading and teaser of each entry."""
    return "\n".join(
        f'<section><h2><a href="{path}">{escape(title)}</a></h2><p>{escape(teaser)}</p></section>'
        for path, title, teaser in entries
    )


def body_html(article: Article) -> str:
    """The authored part of a page, from its markup."""
    parts = [_block_html(block) for block in article.body.split("\n\n")]
    if article.path in troubles.H1_SEVERAL:
        parts[0] = parts[0].replace("<h2>", "<h1>").replace("</h2>", "</h1>")
    if "image" in article.fields:
        source, alt = article.fields["image"].split("|")
        parts.insert(1, f'<img src="{source}">' if alt == "-" else f'<img src="{source}" alt="{escape(alt)}">')
    if "kind" in article.fields:
        price = article.fields["kind"].split("|")[1]
        parts.append(f"<p>Hire: {price} pounds a month</p>\n<p>{_PASTED}</p>")
    parts.append(_FORMS.get(article.fields.get("form", ""), ""))
    return "\n".join(filter(None, parts))


_FORMS = {
    "contact": '<form action="/thank-you/" method="post"><label>Your message <textarea name="message"></textarea></label>'
    "<button>Send</button></form>",
    "calculator": '<form><label>Instrument <select name="instrument"><option>Violin</option><option>Cello</option></select>'
    "</label>"
    '<label>Months <input name="months" type="number" value="12"></label><output name="sum">108.00</output></form>',
}


def _block_html(block: str) -> str:
    lines = block.split("\n")
    heading = re.match(r"(#+) ", lines[0])
    if heading:
        level = len(heading[1])
        rest = _block_html("\n".join(lines[1:])) if len(lines) > 1 else ""
        return f"<h{level}>{_inline(lines[0][level + 1 :])}</h{level}>\n{rest}".rstrip()
    if lines[0].startswith("- "):
        return "<ul>" + "".join(f"<li>{_inline(line[2:])}</li>" for line in lines) + "</ul>"
    if lines[0].startswith("|"):
        rows = [[_inline(cell.strip()) for cell in line.strip("|").split("|")] for line in lines]
        head = "".join(f"<th>{cell}</th>" for cell in rows[0])
        body = "".join("<tr>" + "".join(f"<td>{cell}</td>" for cell in row) + "</tr>" for row in rows[1:])
        return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"
    return f"<p>{_inline(' '.join(lines))}</p>"


def _inline(text: str) -> str:
    return re.sub(r"\[([^\]]+)\]\(([^)]+)\)", r'<a href="\2">\1</a>', escape(text, quote=False))
