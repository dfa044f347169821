"""Variants of a language on one site: British words among American ones.

In:  the words of a site, and what the dictionaries of two or more variants know.
Out: :class:`Variants`: which variant the site is written in, and what it writes in another.

A word speaks for a variant only if it has a counterpart that another variant writes so, as "colour" has in "color": what one
dictionary happens to lack says nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

_WRITTEN_OTHERWISE = (
    ("our", "or"), ("tre", "ter"), ("bre", "ber"), ("ise", "ize"), ("isa", "iza"), ("isi", "izi"), ("yse", "yze"),
    ("ysi", "yzi"), ("ogue", "og"), ("ll", "l"), ("ence", "ense"), ("ae", "e"), ("oe", "e"), ("grey", "gray"),
    ("plough", "plow"), ("mould", "mold"), ("programme", "program"), ("cheque", "check"), ("tyre", "tire"), ("ß", "ss"),
    ("woollen", "woolen"), ("jewell", "jewel"), ("aluminium", "aluminum"), ("practise", "practice"),
    ("licence", "license"), ("sulph", "sulf"), ("moustache", "mustache"), ("sceptic", "skeptic"), ("kerb", "curb"),
    ("storey", "story"),
)  # fmt: skip
"""How variants of English and German write the same word."""


@dataclass(frozen=True)
class Variants:
    """In which variant a site is written, and what stands there in another."""

    main: str
    """The variant, as a language tag."""
    other: str
    """The other one of which most words stand there."""
    words: Mapping[str, int]
    """Words of the variant that the other writes otherwise, with their uses."""
    odd: Mapping[str, str]
    """Words of the other with what the variant writes."""
    odd_uses: Mapping[str, int]


def find_variants(uses: Mapping[str, int], known: Mapping[str, Collection[str]], asked: Sequence[str]) -> Variants | None:
    """Which variant words are written in; None where nothing tells, or only one is known.

    Parameters
    ----------
    uses : mapping of str to int
        How often each word stands on the site.
    known : mapping of str to collection of str
        By the tag of each variant the words that it knows, of these and of :func:`counterparts`.
    asked : sequence of str
        Tags of the variants that the site is to be written in.
    """
    signs: dict[tuple[str, str], dict[str, str]] = {}
    for one in known:
        for other in known:
            if one != other:
                only = [word for word in uses if word in known[one] and word not in known[other]]
                pairs = ((word, _known_counterpart(word, known[other])) for word in only)
                signs[one, other] = {word: right for word, right in pairs if right}
    if not any(signs.values()):
        return None

    def weight(pair: tuple[str, str]) -> int:
        return sum(uses[word] for word in signs[pair])

    wanted = next((tag for tag in asked if tag in known), "")
    main = wanted or max(sorted(known), key=lambda tag: max(weight(pair) for pair in signs if pair[0] == tag))
    other = max(sorted(tag for tag in known if tag != main), key=lambda tag: weight((tag, main)))
    odd = signs[other, main]
    return Variants(main, other, {word: uses[word] for word in signs[main, other]}, odd, {word: uses[word] for word in odd})


def counterparts(words: Collection[str]) -> set[str]:
    """How other variants might write some words."""
    return {made for word in words for made in _made(word)}


def most_used(uses: Mapping[str, int], most: int) -> list[str]:
    """The words that are used most."""
    return [word for word, _ in sorted(Counter(uses).items(), key=lambda item: (-item[1], item[0]))[:most]]


def _known_counterpart(word: str, known: Collection[str]) -> str:
    return next((made for made in _made(word) if made in known), "")


def _made(word: str) -> list[str]:
    pairs = [*_WRITTEN_OTHERWISE, *((b, a) for a, b in _WRITTEN_OTHERWISE)]
    return [word.replace(one, other, 1) for one, other in pairs if one in word]
