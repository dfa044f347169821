"""For which language each page is meant, whatever it is written in.

In:  addresses, hreflang, declarations, the languages of the texts.
Out: a language a page, where anything tells of one.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from functools import cache, lru_cache

from mardok.extract.page import Page
from mardok.text.site import Site
from mardok.urls import split_url

_CODE_LETTERS = 2
"""Letters of the code of a language in an address."""
_MOST_FOLDERS = 1 << 12
"""Folders whose names are kept taken apart."""
_PARTS_OF_NAME = re.compile("[-_]")
_LEAST_TWINS = 3
"""Pages of a folder that stand elsewhere, too, from which its name is that of a language."""


def meant_languages(site: Site) -> list[str]:
    """For which language each page is meant: by its own hreflang, its folder, or its declaration; ``""`` if unknown.

    A folder or host part that is the code of a language means it where pages of the site are written in it, hreflang names
    it, most pages of the folder declare it, or most of them stand elsewhere, too, under the same path without the code or
    with another: also if no page there is translated yet.

    Returns
    -------
    list of str
        ISO 639-1, one entry a page.
    """
    codes = {page.language for page in site.pages if page.language}
    codes |= {code[:2] for page in site.pages for code, _ in page.alternates if code != "x-default"}
    declared: dict[str, Counter[str]] = defaultdict(Counter)
    for page in site.pages:
        if page.declared_language:
            for code in _codes_in_address(page.url):
                declared[code][page.declared_language[:2]] += 1
    codes |= {code for code, seen in declared.items() if 2 * seen[code] > seen.total()}
    codes |= _codes_with_twins(site)
    ending = _folders_of_languages(site)
    return [_meant_language(page, codes if len(codes) > 1 else (), ending.get(_folder(page.url), "")) for page in site.pages]


def meant_locales(site: Site, meant_for: Sequence[str]) -> list[str]:
    """For which language and region the folder or host part of each page is, such as ``zh-tw``; ``""`` where none tells.

    Parameters
    ----------
    meant_for : sequence of str
        Language that each page is meant for.
    """
    return [_locale(page.url, language) for page, language in zip(site.pages, meant_for, strict=True)]


def _locale(url: str, language: str) -> str:
    parts = split_url(url)
    folders = [parts.netloc.partition(".")[0], *parts.path.casefold().split("/")[:-1]]
    named = (folder.replace("_", "-") for folder in folders if re.fullmatch(r"[a-z]{2}([-_][a-z]{2,4})?", folder))
    return next((folder for folder in named if folder.partition("-")[0] == language), "")


def _codes_with_twins(site: Site) -> set[str]:
    """Codes of languages that name folders most of whose pages stand under the same path without the code, or another."""
    known = _language_codes()
    paths: dict[str, set[str]] = defaultdict(set)
    for page in site.pages:
        parts = split_url(page.url)
        code, rest = _first_folder(parts.path.casefold())
        code, rest = (code, rest) if code in known else ("", parts.path.casefold())
        paths[f"{parts.netloc}{rest}?{parts.query}"].add(code)
    n_pages: Counter[str] = Counter()
    n_twins: Counter[str] = Counter()
    for codes in paths.values():
        n_pages.update(codes)
        n_twins.update(codes if len(codes) > 1 else ())
    return {code for code, n in n_twins.items() if code and n >= _LEAST_TWINS and 2 * n > n_pages[code]}


def _first_folder(path: str) -> tuple[str, str]:
    """The language's code in the first folder of a path, if it may be one, and the rest of the path."""
    folder, _, rest = path.lstrip("/").partition("/")
    return _PARTS_OF_NAME.split(folder, 1)[0], f"/{rest}"


@cache
def _language_codes() -> frozenset[str]:
    """The two-letter codes of languages (ISO 639-1, as the CLDR lists them)."""
    from babel import Locale  # only here: it takes longer to import than some commands to run

    return frozenset(code for code in map(str, Locale("en").languages) if len(code) == _CODE_LETTERS)


def _folders_of_languages(site: Site) -> dict[str, str]:
    """Folders whose names end with the code of the language that most of their pages are written in, as `manual-de`.

    The code alone would not do: many a word of a name is one, too.
    """
    spoken: dict[str, Counter[str]] = defaultdict(Counter)
    for page in site.pages:
        if page.language:
            spoken[_folder(page.url)][page.language] += 1
    result = {}
    for folder, seen in spoken.items():
        code = _PARTS_OF_NAME.split(folder.rpartition("/")[2])[-1]
        if 2 * seen[code] > seen.total():
            result[folder] = code
    return result


def _folder(url: str) -> str:
    return url.casefold().partition("?")[0].rpartition("/")[0]


def _codes_in_address(url: str) -> tuple[str, ...]:
    """What may be the code of a language in the host and the folders of an address."""
    parts = split_url(url)
    return _codes_in_folder(parts.netloc.partition(".")[0], parts.path.rpartition("/")[0])


@lru_cache(_MOST_FOLDERS)
def _codes_in_folder(host: str, folder: str) -> tuple[str, ...]:
    names = (host, *folder.casefold().split("/"))
    return tuple(code for name in names for code in _PARTS_OF_NAME.split(name)[:1] if len(code) == _CODE_LETTERS)


def _meant_language(page: Page, codes: Collection[str], of_folder: str) -> str:
    own = [code[:2] for code, url in page.alternates if url == page.url and code != "x-default"]
    in_address = [code for code in _codes_in_address(page.url) if code in codes]
    return next(iter([*own, *in_address, *filter(None, [of_folder, page.declared_language[:2]])]), "")
