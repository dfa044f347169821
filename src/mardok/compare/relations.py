"""How the pages of a site are related, in memory that grows with their number and not with its square.

In:  the sets of shingles of pages, and what else decides whether two pages are copies.
Out: :class:`Relations`: the pairs that matter, how many copies there are beside them, and the resemblance of any two pages.

Of most sites these are all pairs from the least resemblance on. In a family of thousands, or of thousands of pages with the
very same text, there are millions, of which nobody looks at more than a few. There each page keeps its nearest relatives,
and the pairs of a spanning forest of greatest resemblance (O. Boruvka, 1926), so that the pages that hang together at any
threshold still do; the copies of each page are counted as the pairs go by. Of duplicates one page is compared with others,
and stands for all.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from mardok.compare.copies import family_pairs, shares
from mardok.compare.join import (
    Family,
    Overlap,
    Overlaps,
    Sets,
    candidates_of_several,
    contained_pairs,
    join,
    overlap_with,
    shingle_sets,
    shingles_of_several,
    told_of_blocks,
)
from mardok.settings import Pairs
from mardok.text.hashes import Corpus, Ints

_LARGE_FAMILY = 2000
"""Pages of a family from which not all of its pairs are kept."""
_DUPLICATES = 64
"""Pages with one text from which only one of them is compared with others."""
_EARLIER_FIRST = 1e-13
"""By how much a later page is farther away, so that ties fall to the page that comes first."""


@dataclass(frozen=True)
class Traits:
    """What decides, beside the shingles, whether two pages are copies; arrays of shape (n_pages,)."""

    language: Ints
    """Equal for pages of one language."""
    text: Ints
    """Equal for identical texts."""
    is_long: NDArray[np.bool_]
    """Whether near copies count; of short pages only identical texts do."""
    threshold: float
    """Resemblance from which two pages are near copies."""

    def are_copies(self, resemblance: NDArray[np.float64], a: Ints, b: Ints) -> NDArray[np.bool_]:
        """Whether pages are copies; the three arrays are broadcast together.

        Parameters
        ----------
        resemblance : ndarray of float64, shape (n_pairs,)
            0 to 1.
        a, b : ndarray of int64, shape (n_pairs,)
            Rows of the two pages of each pair.
        """
        return np.asarray(self.say_the_same(resemblance, a, b) & (self.language[a] == self.language[b]))

    def say_the_same(self, resemblance: NDArray[np.float64], a: Ints, b: Ints) -> NDArray[np.bool_]:
        """Whether pages are copies, or would be but for their languages.

        Parameters
        ----------
        resemblance : ndarray of float64, shape (n_pairs,)
            0 to 1.
        a, b : ndarray of int64, shape (n_pairs,)
            Rows of the two pages of each pair.
        """
        near = (resemblance >= self.threshold - 1e-9) & self.is_long[a] & self.is_long[b]
        return np.asarray(near | (self.text[a] == self.text[b]))

    def select(self, rows: Ints) -> Traits:
        """Those of some pages."""
        return Traits(self.language[rows], self.text[rows], self.is_long[rows], self.threshold)


@dataclass(frozen=True)
class PageSets:
    """The shingles of some pages of a site."""

    rows: Ints
    """Rows of the pages, in order."""
    sets: Sets
    """Their shingles, at the same places."""

    def places(self, rows: Ints) -> Ints:
        """Places of rows."""
        return np.searchsorted(self.rows, rows)

    def resemblance(self, row: int, others: Ints) -> NDArray[np.float64]:
        """Exact resemblance of a page to some others; all are rows."""
        place, places = int(self.places(np.array([row]))[0]), self.places(others)
        common = overlap_with(self.sets, place, places)
        return np.asarray(common / np.maximum(self.sets.sizes[place] + self.sets.sizes[places] - common, 1))

    def select(self, rows: Ints) -> PageSets:
        """Those of some of the pages."""
        return self if len(rows) == len(self.rows) else PageSets(rows, self.sets.select(self.places(rows)))


def page_sets(corpus: Corpus, rows: Ints) -> PageSets:
    """The shingles of some pages."""
    return PageSets(rows, shingle_sets(*corpus.select(rows)))


@dataclass(frozen=True)
class Relations:
    """The relations of some pages; a page is its row in the site."""

    pairs: pd.DataFrame
    """Columns ``a``, ``b`` (a < b), ``resemblance``, ``a_in_b``, ``b_in_a``, ordered."""
    pages: PageSets
    cluster_of: Ints
    """For each row of the site the large family or set of duplicates it is in, of which ``pairs`` holds a part; -1: none."""
    cluster_copies: Ints
    """For each row of the site the number of its copies that ``pairs`` does not show."""
    representative_of: Ints
    """For each row of the site the page that represented its duplicates when pages were compared; itself if it has none."""

    def cluster(self, row: int) -> Ints:
        """All pages in the large family or set of duplicates of a page, itself too; none if it is in none."""
        return (
            np.flatnonzero(self.cluster_of == self.cluster_of[row]) if self.cluster_of[row] >= 0 else np.zeros(0, np.int64)
        )


def relations_of(pages: PageSets, corpus: Corpus, traits: Traits, settings: Pairs) -> Relations:
    """The relations of pages.

    Parameters
    ----------
    traits : Traits
        Of all pages of the site.

    Examples
    --------
    >>> from mardok.settings import Pairs
    >>> from mardok.text.hashes import corpus_of
    >>> corpus = corpus_of(["hire a violin in town", "hire a violin in town today", "new strings"])
    >>> traits = Traits(np.zeros(3, np.int64), np.arange(3), np.ones(3, bool), threshold=0.6)
    >>> relations_of(page_sets(corpus, np.arange(3)), corpus, traits, Pairs()).pairs[["a", "b", "resemblance"]]
       a  b  resemblance
    0  0  1         0.75
    """
    rows = pages.rows
    result = _relations(pages.sets, corpus.n_words[rows], traits.select(rows), settings)
    cluster_of, cluster_copies = np.full(corpus.n_texts, -1, np.int64), np.zeros(corpus.n_texts, np.int64)
    representative_of = np.arange(corpus.n_texts)
    cluster_of[rows], cluster_copies[rows], representative_of[rows] = (
        result.cluster_of,
        result.copies,
        rows[result.representative_of],
    )
    pairs = result.pairs.assign(a=rows[result.pairs["a"]], b=rows[result.pairs["b"]])
    return Relations(pairs, pages, cluster_of, cluster_copies, representative_of)


@dataclass(frozen=True)
class _Found:
    """As :class:`Relations`, by place."""

    pairs: pd.DataFrame
    cluster_of: Ints
    copies: Ints
    representative_of: Ints


def _relations(sets: Sets, n_words: Ints, traits: Traits, settings: Pairs) -> _Found:
    """Everything, by place."""
    n_pages = len(n_words)
    representative_of = _representatives(traits, sets.sizes, max(_DUPLICATES, settings.nearest))
    compared = np.flatnonzero(representative_of == np.arange(n_pages))
    weight = np.bincount(representative_of, minlength=n_pages)
    own = sets.select(compared)
    several = shingles_of_several(own)
    result, families = join(own, candidates_of_several(own, several, settings.resemblance), settings.resemblance)
    cluster_of, uncounted = np.full(n_pages, -1, np.int64), np.zeros(n_pages, np.int64)
    small = [family for family in families if len(family.texts) <= _LARGE_FAMILY]
    parts: list[Overlaps] = [*result, *family_pairs(small, settings.resemblance)]
    for family in families:
        if len(family.texts) <= _LARGE_FAMILY:
            continue
        pages = compared[family.texts]
        cluster_of[pages] = pages[0]
        nearest, uncounted[pages] = _nearest(family, settings.nearest, traits.select(pages), weight[pages])
        parts.append(_pairs_kept(family, nearest, settings.resemblance))
    contained = contained_pairs(
        own,
        several,
        np.flatnonzero(n_words[compared] >= settings.containment_words),
        settings.containment,
        settings.resemblance,
        settings.containment_pairs,
    )
    pairs = shares(sets, [Overlaps(compared[part.a], compared[part.b], part.common) for part in [*parts, contained]], 0.0)
    pairs = pairs.drop_duplicates(["a", "b"], ignore_index=True)
    if len(compared) < n_pages:
        doubled = np.flatnonzero(weight[representative_of] > 1)
        cluster_of[doubled] = np.where(
            cluster_of[representative_of[doubled]] >= 0, cluster_of[representative_of[doubled]], representative_of[doubled]
        )
        members = {
            int(representative): np.flatnonzero(representative_of == representative)
            for representative in np.flatnonzero(weight > 1)
        }
        shown = pd.concat([pairs, _pairs_with_duplicates(pairs, members, settings.nearest)])
        uncounted = uncounted[representative_of] + _duplicate_copies(
            pairs, shown, traits, cluster_of, representative_of, weight
        )
        within = shares(sets, [_duplicate_pairs(sets, duplicates, settings) for duplicates in members.values()], 0.0)
        pairs = pd.concat([shown, within]).sort_values(["a", "b"], ignore_index=True)
    return _Found(pairs, cluster_of, uncounted, representative_of)


def _representatives(traits: Traits, sizes: Ints, least: int) -> Ints:
    """For each page the first of its duplicates, pages with its very text and language, if they are more than `least`."""
    keys = pd.DataFrame({"text": traits.text, "language": traits.language, "page": np.arange(len(sizes))})
    duplicate_sets = keys.groupby(["text", "language"], sort=False)["page"]
    has_duplicates = (duplicate_sets.transform("size").to_numpy() > least) & (sizes > 0)
    return np.where(has_duplicates, duplicate_sets.transform("min").to_numpy(), np.arange(len(sizes)))


def _duplicate_pairs(sets: Sets, duplicates: Ints, settings: Pairs) -> Overlaps:
    """Pairs of each page that has duplicates with the first ones of them."""
    first = duplicates[: settings.nearest + 1]
    a, b = np.repeat(first, len(duplicates)), np.tile(duplicates, len(first))
    is_pair = a < b
    return Overlaps(a[is_pair], b[is_pair], sets.sizes[a[is_pair]])


def _pairs_with_duplicates(pairs: pd.DataFrame, members: Mapping[int, Ints], n_nearest: int) -> pd.DataFrame:
    """Pairs of pages without duplicates with the first ones of each set of duplicates that has a page near them."""
    representatives = np.array(sorted(members), np.int64)
    rows: list[tuple[int, int, float, float, float]] = []
    has_duplicates = np.isin(pairs["a"], representatives), np.isin(pairs["b"], representatives)
    for a, b, resemblance, a_in_b, b_in_a in pairs[has_duplicates[0] != has_duplicates[1]].itertuples(
        index=False, name=None
    ):
        is_a = a in members
        page, representative = (b, a) if is_a else (a, b)
        inside, around = (b_in_a, a_in_b) if is_a else (a_in_b, b_in_a)
        for mate in members[representative][1 : n_nearest + 1].tolist():
            shared = (inside, around) if page < mate else (around, inside)
            rows.append((min(page, mate), max(page, mate), resemblance, *shared))
    return pd.DataFrame(rows, columns=list(pairs.columns)).astype(pairs.dtypes.to_dict())


def _duplicate_copies(
    pairs: pd.DataFrame, shown: pd.DataFrame, traits: Traits, cluster_of: Ints, representative_of: Ints, weight: Ints
) -> Ints:
    """Copies that each page has beyond those that are shown, for the duplicates of which one page was compared."""

    def copies(frame: pd.DataFrame) -> tuple[Ints, Ints]:
        a, b = frame["a"].to_numpy(), frame["b"].to_numpy()
        is_copy = traits.are_copies(frame["resemblance"].to_numpy(), a, b) & (
            (cluster_of[a] < 0) | (cluster_of[a] != cluster_of[b])
        )
        return a[is_copy], b[is_copy]

    n_pages = len(representative_of)
    a, b = copies(pairs)
    through_pairs = np.bincount(a, weight[b], n_pages) + np.bincount(b, weight[a], n_pages)
    result = (
        through_pairs[representative_of]
        - np.bincount(np.concatenate(copies(shown)), minlength=n_pages)
        + weight[representative_of]
        - 1
    )
    return np.asarray(np.round(result), np.int64)


@dataclass(frozen=True)
class _Nearest:
    """For each page of a family its nearest others, the nearest first; arrays of shape (n_pages, n_nearest)."""

    place: Ints
    closeness: NDArray[np.float64]
    """Resemblance, a very little less for later places."""
    common: Ints


def _closeness(resemblance: NDArray[np.float64]) -> NDArray[np.float64]:
    result: NDArray[np.float64] = resemblance - np.arange(resemblance.shape[1]) * _EARLIER_FIRST
    return result


def _nearest(family: Family, most: int, traits: Traits, weight: Ints) -> tuple[_Nearest, Ints]:
    """The nearest of each page, and how many copies it has in the family, each page counting for its duplicates."""
    tell = partial(_nearest_of_block, min(most, len(family.texts) - 1), traits, weight)
    places, closenesses, commons, counts = zip(*told_of_blocks([family], tell)[0], strict=True)
    nearest = _Nearest(np.concatenate(places), np.concatenate(closenesses), np.concatenate(commons))
    return nearest, np.concatenate(counts).astype(np.int64)


def _nearest_of_block(
    n: int, traits: Traits, weight: Ints, family: Family, first: int, block: Overlap
) -> tuple[Ints, NDArray[np.float64], Ints, Ints]:
    """Of each page of a block the places of the n nearest, how close they are, what they share, and its copies."""
    resemblance = family.resemblance(first, block)
    close = _closeness(resemblance)
    nearest_of_rows = np.argpartition(-close, n - 1, axis=1)[:, :n]
    values = np.take_along_axis(close, nearest_of_rows, 1)
    order = np.argsort(-values, axis=1, kind="stable")
    place = np.take_along_axis(nearest_of_rows, order, 1)
    rows = first + np.arange(len(block))
    is_copy = traits.are_copies(resemblance, rows[:, None], np.arange(len(family.texts))[None, :])
    is_copy[np.arange(len(block)), rows] = False
    common = np.take_along_axis(block, place, 1).astype(np.int64)
    return place, np.take_along_axis(values, order, 1), common, is_copy @ weight


def _pairs_kept(family: Family, nearest: _Nearest, minimum: float) -> Overlaps:
    """The nearest pairs and a spanning forest, as places in what was joined."""
    row, rank = np.nonzero(nearest.closeness >= minimum - 1e-6)
    a, b, common = row, nearest.place[row, rank], nearest.common[row, rank]
    tree = _forest(family, nearest, minimum)
    a, b, common = (np.concatenate(parts) for parts in zip((a, b, common), tree, strict=True))
    a, b = np.minimum(a, b), np.maximum(a, b)
    _, once = np.unique(a * len(family.texts) + b, return_index=True)
    return Overlaps(family.texts[a[once]], family.texts[b[once]], common[once])


def _forest(family: Family, nearest: _Nearest, minimum: float) -> tuple[Ints, Ints, Ints]:
    """Edges (place, place, overlap) of a spanning forest of greatest resemblance, down to `minimum`.

    Each component takes the closest pair that leads out of it, which is in such a forest. Mostly the lists of the nearest
    tell which it is; where they do not, and nothing else can be said any more, the pages in question are compared again.
    """
    n = len(family.texts)
    label = np.arange(n)
    edges: list[tuple[int, int, int]] = []
    last = np.where(nearest.closeness[:, -1] >= minimum - 1e-6, nearest.closeness[:, -1], -1.0)
    while True:
        leads_out = (label[nearest.place] != label[:, None]) & (nearest.closeness >= minimum - 1e-6)
        any_out, at = leads_out.any(axis=1), leads_out.argmax(axis=1)
        value = np.where(any_out, nearest.closeness[np.arange(n), at], -1.0)
        bound = np.where(any_out, -1.0, last)
        best, most = np.full(n, -1.0), np.full(n, -1.0)
        np.maximum.at(best, label, value)
        np.maximum.at(most, label, bound)
        sure = (best > 0) & (best >= most)
        rows = np.flatnonzero(any_out & sure[label] & (value == best[label]))
        new = [(int(row), int(nearest.place[row, at[row]]), int(nearest.common[row, at[row]])) for row in rows]
        if not new:
            unsure = np.flatnonzero((bound > 0) & (label != np.bincount(label).argmax()))
            new = _compared_again(family, unsure, label, minimum)
        added = _added(new, label)
        if not added:
            table = np.array(edges, np.int64).reshape(-1, 3)
            return table[:, 0], table[:, 1], table[:, 2]
        edges += added


def _compared_again(family: Family, rows: Ints, label: Ints, minimum: float) -> list[tuple[int, int, int]]:
    """For each component the closest pair from one of `rows` that leads out of it."""
    best: dict[int, tuple[float, int, int, int]] = {}
    for row in rows.tolist():
        overlap = family.overlap(row)
        close = _closeness(family.resemblance(row, overlap[None, :]))[0]
        close[label == label[row]] = -1.0
        place = int(close.argmax())
        if close[place] >= minimum - 1e-6:
            edge = (float(close[place]), row, place, int(overlap[place]))
            best[int(label[row])] = max(best.get(int(label[row]), edge), edge)
    return [edge[1:] for edge in best.values()]


def _added(new: Sequence[tuple[int, int, int]], label: Ints) -> list[tuple[int, int, int]]:
    """Those of the edges that join two components; `label` is brought up to date."""
    parent: dict[int, int] = {}

    def root(component: int) -> int:
        while component in parent:
            component = parent[component]
        return component

    added = []
    for a, b, common in new:
        one, other = root(int(label[a])), root(int(label[b]))
        if one != other:
            parent[max(one, other)] = min(one, other)
            added.append((a, b, common))
    ends = np.arange(len(label))
    for component in parent:
        ends[component] = root(component)
    label[:] = ends[label]
    return added
