"""Slips put together into rows: one for a text that several pages have, for a template, and else for a page.

In:  slips at their places in the different texts of a site.
Out: :class:`SlipRow`.
"""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Iterable, Iterator
from itertools import chain
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from mardok.proofing.lookup import Found
from mardok.proofing.spelling import Place
from mardok.proofing.texts import ProofTexts
from mardok.vocabulary import CheckId, SlipPlace

_SHOWN = 60
"""Characters that are shown on either side of a slip."""


class SlipRow(NamedTuple):
    """A row of the table of slips, with its places."""

    check: CheckId
    written: str
    right: str
    where: SlipPlace
    language: str
    pages: tuple[int, ...]
    sentence: str
    uses_of_right: int
    numbers: array[int]
    """Page, block, start and end of each place, one place after the other: as tuples they are most of what a row takes."""

    @property
    def places(self) -> Iterator[tuple[int, int, int, int]]:
        """Page, block, start and end of each place."""
        numbers = iter(self.numbers)
        return zip(numbers, numbers, numbers, numbers, strict=True)


def slip_rows(
    found: Iterable[Found], language: str, numbers: NDArray[np.int64], texts: ProofTexts, template_pages: int
) -> Iterator[SlipRow]:
    """Slips put together: one row for a text that several pages have, for a template, and else for a page."""
    by_slip: dict[tuple[CheckId, str, str, int], list[Place]] = defaultdict(list)
    for one in found:
        place = Place(int(numbers[one.place.text]), one.place.start, one.place.end)
        by_slip[one.check, one.written, one.right, one.uses_of_right].append(place)
    for key in [*by_slip]:
        (check, written, right, uses), places = key, by_slip.pop(key)  # of a large site they are gigabytes
        # A variant is one decision for the whole site: each word of the other is one row.
        by_place = [(SlipPlace.PAGE, places)] if check == CheckId.TEXT_VARIANTS_MIXED else None
        for where, own in by_place or _told_apart(places, language, texts, template_pages):
            spots = sorted(
                (int(texts.page[at]), int(texts.block[at]), one.start, one.end)
                for one in own
                for at in texts.places_of(one.text, language)
            )
            pages = tuple(sorted({spot[0] for spot in spots}))
            shown = around(texts.texts[own[0].text], own[0])
            yield SlipRow(check, written, right, where, language, pages, shown, uses, array("q", chain.from_iterable(spots)))


def _told_apart(
    places: Iterable[Place], language: str, texts: ProofTexts, template_pages: int
) -> Iterator[tuple[SlipPlace, list[Place]]]:
    """Places of one slip: those of each text that several pages have, of a template, of each page."""
    by_text: dict[int, list[Place]] = defaultdict(list)
    for place in places:
        by_text[place.text].append(place)
    single: dict[tuple[str, str], list[tuple[int, Place]]] = defaultdict(list)
    for text, own in by_text.items():
        pages = texts.pages_of(text, language)
        if bool(texts.is_boilerplate[texts.places_of(text, language)].any()):
            yield SlipPlace.BOILERPLATE, own
        elif len(pages) > 1:
            yield SlipPlace.PASSAGE, own
        else:
            for place in own:
                single[_beside(texts.texts[text], place)].append((pages[0], place))
    alone: dict[int, list[Place]] = defaultdict(list)
    for alike in single.values():
        if len({page for page, _ in alike}) >= template_pages:
            yield SlipPlace.TEMPLATE, [place for _, place in alike]
        else:
            for page, place in alike:
                alone[page].append(place)
    for own in alone.values():
        yield SlipPlace.PAGE, own


def _beside(text: str, place: Place) -> tuple[str, str]:
    """The words before and after a place."""
    before, after = text[: place.start].split(), text[place.end :].split()
    return before[-1] if before else "", after[0] if after else ""


def around(text: str, place: Place) -> str:
    """The part of a text around a place."""
    start, end = max(place.start - _SHOWN, 0), min(place.end + _SHOWN, len(text))
    start = text.find(" ", start, place.start) + 1 if start else 0
    end = max(text.rfind(" ", place.end, end), place.end) if end < len(text) else end
    return f"{'… ' if start else ''}{text[start:end]}{' …' if end < len(text) else ''}"
