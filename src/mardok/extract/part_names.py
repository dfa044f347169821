"""What the classes, ids and roles of elements call them: furniture, content, or nothing known.

In:  labels of elements, as :func:`mardok.extract.element_context.label_of` makes them.
Out: which of the two they name, if either.

Names are cut where case or a sign parts their words, so that ``navHeader``, ``nav-header`` and ``docnav`` all name a menu.
What a template calls its parts is one sign among several, and never decides alone.
"""

from __future__ import annotations

import re
from functools import lru_cache

# Words that begin or end a name: "navbar", "docnav", "breadcrumbs".
_FURNITURE_PARTS = (
    "nav|navi|navig|menu|menue|menü|foot|footer|fuss|fuß|masthead|topbar|sidebar|seitenleiste|breadcrumb|crumb|"
    "brotkrum|copyright|cookie|consent|newsletter|promo|advert|werbung|anzeige|banner|share|sharing|social|pager|pagin|"
    "toolbar|drawer|offcanvas|popup|widget|subscribe|colophon|impressum|tagline|sponsor|related|recommend|teilen|partage|"
    "compart|language|pied|piede|testata|entete|cabecera|navega|stopka|voettekst"
)
# Words that must be a whole word of a name: "page-head", "col-left".
_FURNITURE_WORDS = (
    "toplang|bottomlang|path|pfad|prev|previous|next|up|date|datum|modified|updated|"
    "generated|meta|author|byline|tags|tag|ad|ads|lang|langs|language|languages|locale|switcher|search|suche|logo|brand|"
    "skip|legal|license|licence|terms|rights|chat|popular|follow|posts|recent|similar|hours|contact|login|account|cart|"
    "basket|index|toc|tabs|version|versions|source|edit|feedback|print|printed|modal|overlay|notice|"
    "tree|letters|alphabet|pied|barre|bas|haut|pie|piè|lateral|rodape|cabecalho|hlavicka|paticka|menubalk|kop|voet|"
    "contentinfo|complementary|hinweis|gdpr|dsgvo|bubble|signup|comments|rating|trail|location|onthispage"
)
_CONTENT_WORDS = (
    "main|content|contents|inhalt|article|body|text|post|entry|page|story|document|documentation|section|chapter|"
    "contenu|contenido|contenuto|inhoud|tresc"
)
_HEADS = re.compile(r"head|header|kopf|.*header$|header.*")
"""Names of what heads something: a page, where it is a container, else mostly what follows."""
_LAYOUT_WORDS = "top|bottom|side|left|right|links|rechts|oben|unten|haut|bas|droite|gauche|strip|bar|rail"
_LAYOUT = frozenset(_LAYOUT_WORDS.split("|"))
"""Where an element stands: names of furniture, where they are all the name, or all but one word of it."""
_MOST_LAYOUT_WORDS = 2
_NOT_LAYOUT = frozenset(["align", "aligned", "item", "float", "text", "pull", "cell", "img", "image"])
_PARTS = re.compile(rf"(?:{_FURNITURE_PARTS})|.*(?:{_FURNITURE_PARTS})s?$")
_WHOLE = frozenset(_FURNITURE_WORDS.split("|"))
_CONTENT = frozenset(_CONTENT_WORDS.split("|"))
_CASE = re.compile(r"(?<=[a-z])(?=[A-Z])|[-_.:@#\s]+")
_NOTICE = re.compile(r"cookie|consent|gdpr|dsgvo", re.IGNORECASE)


@lru_cache(maxsize=1 << 14)
def names_furniture(name: str, *, is_container: bool = True) -> bool:
    """Whether a class, id or role calls its element furniture.

    Parameters
    ----------
    is_container : bool
        Whether the element may hold blocks, as a paragraph may not.

    Examples
    --------
    >>> [names_furniture(name) for name in ("navHeader", "site-bottom", "docnav", "post-body", "headings")]
    [True, True, True, False, False]
    """
    listed = [word.lower() for word in _CASE.split(name) if word]
    if any(word in _WHOLE or _PARTS.match(word) is not None for word in listed):
        return True
    if is_container and any(_HEADS.fullmatch(word) for word in listed):
        return True
    return len(listed) <= _MOST_LAYOUT_WORDS and not _LAYOUT.isdisjoint(listed) and _NOT_LAYOUT.isdisjoint(listed)


@lru_cache(maxsize=1 << 14)
def names_notice(name: str) -> bool:
    """Whether a class or id calls its element a cookie or consent notice.

    Examples
    --------
    >>> names_notice("cookie-bar"), names_notice("cookbook")
    (True, False)
    """
    return _NOTICE.search(name) is not None


@lru_cache(maxsize=1 << 14)
def names_content(name: str) -> bool:
    """Whether a class or id calls its element content.

    Examples
    --------
    >>> names_content("l-main"), names_content("mainmenu")
    (True, False)
    """
    return any(word.lower() in _CONTENT for word in _CASE.split(name) if word)
