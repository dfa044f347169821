"""On how many pages of a site, and of a section, things recur.

In:  a key for each thing, and the page it stands on.
Out: the number of pages that have a thing of that key, and whether these are many.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from mardok.large import large_empty
from mardok.settings import Text
from mardok.sharing import shared_out
from mardok.text.columns import Codes
from mardok.text.distinct import first_of_equal, order_of_equal
from mardok.text.hashes import Hashes, Ints

_TEMPLATE_PAGES = 10
"""Least pages of one template for what stands on nearly all of them to be told from what a few happen to share."""
_THINGS_AT_ONCE, _LOOKED_AT_ONCE = 1 << 21, 1 << 20
"""Things that are counted together, and of which it is told together whether they are."""


@dataclass(frozen=True)
class Recurrence:
    """How things recur; arrays have one entry a thing."""

    n_pages: Codes
    """Pages with a thing of the same key."""
    is_usual: NDArray[np.bool_]
    """Whether these are many of the site's, or of those of the thing's section."""
    is_everywhere: NDArray[np.bool_]
    """Whether these are nearly all of the site's."""
    is_in_template: NDArray[np.bool_]
    """Whether these are nearly all of the site's, or of those of the thing's template."""


def recurrence(keys: Hashes, page: Codes, sections: Sequence[Ints], settings: Text) -> Recurrence:
    """How many pages have a thing of the same key.

    Parameters
    ----------
    keys : ndarray of uint64, shape (n_things,)
    page : ndarray of int32, shape (n_things,)
        In order.
    sections : sequence of ndarray of int64, shape (n_pages,)
        Divisions of the site, each equal for pages of one section; the last one by template.
    """
    if len(keys) <= _THINGS_AT_ONCE:
        return _counted(keys, page, sections, settings)
    # What is told of a thing depends on those of its key alone: a range of keys is told after the other.
    result = Recurrence(*(large_empty(len(keys), dtype) for dtype in (np.int32, np.bool_, np.bool_, np.bool_)))
    bits = (len(keys) // _THINGS_AT_ONCE).bit_length()
    tell = partial(_counted_in_range, keys, page, sections, settings, bits)
    for its, told in shared_out(tell, range(1 << bits)):
        for name in ("n_pages", "is_usual", "is_everywhere", "is_in_template"):
            getattr(result, name)[its] = getattr(told, name)
    return result


def _counted_in_range(
    keys: Hashes, page: Codes, sections: Sequence[Ints], settings: Text, bits: int, number: int
) -> tuple[Ints, Recurrence]:
    """Places of the keys with some upper bits, and how these recur."""
    its = _in_range(keys, number, bits)
    return its, _counted(keys[its], page[its], sections, settings)


def _in_range(keys: Hashes, number: int, bits: int) -> Ints:
    """Places of the keys with these upper bits, in order."""
    result = [np.zeros(0, np.int64)]
    for first in range(0, len(keys), _LOOKED_AT_ONCE):
        upper = keys[first : first + _LOOKED_AT_ONCE] >> np.uint64(64 - bits)
        result.append(np.flatnonzero(upper == np.uint64(number)) + first)
    return np.concatenate(result)


def _counted(keys: Hashes, page: Codes, sections: Sequence[Ints], settings: Text) -> Recurrence:
    n_site = len(sections[0])
    order, ordered = order_of_equal(keys)
    begins = first_of_equal(ordered)
    number = np.cumsum(begins, dtype=np.int64) - 1
    its_page = page[order]
    is_new = begins.copy()
    is_new[1:] |= its_page[1:] != its_page[:-1]
    counted, placed = number[is_new], its_page[is_new]
    n_pages = np.bincount(counted, minlength=int(number[-1]) + 1 if len(number) else 0).astype(np.int32)
    usual = n_pages >= max(settings.recurring_pages, settings.recurring_share * n_site)
    # Few keys are neither rare nor usual: only of these it is asked in which sections they stand.
    asked = ~usual & (n_pages >= settings.recurring_pages)
    is_usual = usual[number]
    at, once = np.flatnonzero(asked[number]), asked[counted]
    for section in sections if len(at) else ():
        shares = _shares_there(counted[once], placed[once], number[at], its_page[at], section, settings.recurring_pages)
        is_usual[at] |= shares >= settings.recurring_section_share
    is_everywhere = (n_pages >= max(settings.recurring_pages, settings.template_share * n_site))[number]
    in_template = is_everywhere.copy()
    at = np.flatnonzero(is_usual & ~is_everywhere)
    if len(at):
        is_asked = np.zeros(len(n_pages), bool)
        is_asked[number[at]] = True
        once = is_asked[counted]
        shares = _shares_there(counted[once], placed[once], number[at], its_page[at], sections[-1], _TEMPLATE_PAGES)
        in_template[at] = shares >= settings.template_share
    back = np.empty(len(order), np.int64)
    back[order] = np.arange(len(order))
    return Recurrence(n_pages[number][back], is_usual[back], is_everywhere[back], in_template[back])


def _shares_there(counted: Ints, placed: Codes, number: Ints, page: Codes, section: Ints, least: int) -> NDArray[np.float64]:
    """Share of the pages of its section on which each thing stands, 0 where these are too few.

    Parameters
    ----------
    counted, placed : ndarray
        Each thing with each page it stands on, once.
    number, page : ndarray
        The things that are asked about.
    """
    sizes = np.bincount(section)
    in_section = np.sort(counted * len(sizes) + section[placed])
    starts = np.flatnonzero(first_of_equal(in_section))
    result, n_there = in_section[starts], np.diff(starts, append=len(in_section))
    # Each thing that is asked about stands in its own section, so it is found.
    at = np.searchsorted(result, number * len(sizes) + section[page])
    return np.asarray(np.where(n_there >= least, n_there / sizes[result % len(sizes)], 0)[at])
