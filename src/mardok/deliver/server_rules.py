"""Which rules servers need for the steps that are handed over.

In:  steps, and the pages of the audit.
Out: :class:`mardok.deliver.redirects.Redirects`: rules where a pattern was seen, lines for the rest.

No rule is broader than what was seen: a scheme or host goes as a whole only if every page that answered there goes, and the
end of paths is written anew only below the folder in which several pages go that way and none stays.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping
from itertools import takewhile

import pandas as pd

from mardok.deliver.redirects import WITH_SLASH, WITHOUT_SLASH, Redirects, Writing, index_file
from mardok.sentences import path_of
from mardok.urls import split_url
from mardok.vocabulary import CheckId, StepKind, VariantRule

_WRITINGS: Mapping[str, Callable[[Iterable[str]], Writing]] = {
    VariantRule.INDEX_FILE_TO_FOLDER: lambda urls: index_file({url.partition("?")[0].rpartition("/")[2] for url in urls}),
    VariantRule.SLASH_ADDED: lambda _: WITH_SLASH,
    VariantRule.SLASH_REMOVED: lambda _: WITHOUT_SLASH,
}
"""Rules of addresses that servers know without a list of them; letter case they cannot change in one way."""
_OF_ORIGIN = (VariantRule.HOST, VariantRule.SCHEME)
_LEAST_SEEN = 3
"""Pages that go by a rule for the end of paths, from which it is no chance."""
_ANSWERS = 200


def server_rules(steps: pd.DataFrame, pages: pd.DataFrame) -> Redirects:
    """What servers are to redirect, or to answer with 410.

    Parameters
    ----------
    steps : DataFrame
        Steps that are handed over.
    pages : DataFrame
        All pages of the audit.
    """
    moved = steps[steps["step"] == StepKind.REDIRECT]
    ends = dict(zip(moved["url"], moved["target"], strict=True))
    answering = pages.loc[pages["status"].isna() | (pages["status"] == _ANSWERS), "url"].tolist()
    single: dict[str, str] = {}
    origins: dict[str, str] = {}
    by_writing: dict[str, dict[str, str]] = defaultdict(dict)
    for url, target, rule in moved[["url", "target", "pattern"]].itertuples(index=False, name=None):
        # A site that leaves https again is one address after the other: no rule for a whole origin says so.
        is_upgrade = rule != VariantRule.SCHEME or target.startswith("https:")
        if rule in _OF_ORIGIN and is_upgrade and _origin(url) != _origin(target):
            origins[_origin(url)] = _origin(target)
        if rule in _WRITINGS and _origin(url) == _origin(target):
            by_writing[rule][url] = target
    origins = {origin: end for origin, end in origins.items() if _goes_whole(origin, end, answering, ends)}
    for url, target in ends.items():
        by_origin = origins.get(_origin(url)) == _origin(target) and path_of(url) == path_of(target)
        if not (by_origin and url == _origin(url) + path_of(url)):
            single[url] = target
    for origin, target in list(origins.items()):  # both at once: the other scheme of a host that goes
        other = ("http:" if origin.startswith("https:") else "https:") + origin.partition(":")[2]
        if split_url(origin).netloc != split_url(target).netloc and _goes_whole(other, target, answering, ends):
            origins.setdefault(other, target)
    rewritten: list[tuple[str, str, Writing]] = []
    written: dict[str, str] = {}
    for rule, moves in sorted(by_writing.items()):
        for origin in sorted(set(map(_origin, moves))):
            going = {url: target for url, target in moves.items() if _origin(url) == origin}
            writing = _WRITINGS[rule](going).under(_common_folder(going))
            if len(going) >= _LEAST_SEEN and _holds(writing, origin, going, pages["url"], single):
                asked = [origin, *(other for other, target in sorted(origins.items()) if target == origin)]
                rewritten += [(one, origin, writing) for one in asked]
                written |= going
                for url, end in list(single.items()):
                    if _origin(url) == origin and url not in going:
                        for other in _otherwise(path_of(url), writing, going):
                            single.setdefault(origin + other, end)
    single = {url: target for url, target in single.items() if url not in written}
    single |= _mended(steps, single)
    gone = sorted(steps.loc[steps["step"] == StepKind.RETIRE, "url"])
    # Whoever asks for a moved page at an origin that goes is sent to the end at once, in one hop.
    for origin, target in origins.items():
        for url, end in list(single.items()):
            if _origin(url) == target:
                single.setdefault(origin + path_of(url), end)
        gone += [origin + path_of(url) for url in list(gone) if _origin(url) == target]
    return Redirects(single, sorted(origins.items()), rewritten, written, sorted(set(gone) - set(single)))


def _mended(steps: pd.DataFrame, moved: Collection[str]) -> dict[str, str]:
    """Redirects that lead astray today, with the end of their chain, or the address of their loop that is to answer."""
    by_rule = steps["rule"].isin([CheckId.REDIRECT_CHAIN, CheckId.REDIRECT_LOOP])
    repairs = steps[(steps["step"] == StepKind.REPAIR) & by_rule & (steps["target"] != "") & ~steps["url"].isin(moved)]
    return dict(zip(repairs["url"], repairs["target"], strict=True))


def _origin(url: str) -> str:
    parts = split_url(url)
    return f"{parts.scheme}://{parts.netloc}"


def _goes_whole(origin: str, end: str, answering: Iterable[str], ends: Mapping[str, str]) -> bool:
    """Whether every page that answered at an origin goes to the other, so that nothing that stays is taken along."""
    there = [url for url in answering if _origin(url) == origin]
    return all(url in ends and _origin(ends[url]) == end for url in there)


def _common_folder(urls: Iterable[str]) -> str:
    """The folder that some addresses of one origin lie in."""
    folders = [path_of(url).partition("?")[0].split("/")[:-1] for url in urls]
    common = takewhile(lambda parts: len(set(parts)) == 1, zip(*folders, strict=False))
    return "".join(f"{parts[0]}/" for parts in common)


def _otherwise(path: str, writing: Writing, going: Iterable[str]) -> list[str]:
    """How else a moved page may be asked for: the rule would send it to its own address first, and only then to the end."""
    files = {url.partition("?")[0].rpartition("/")[2] for url in going}
    others = [path.removesuffix("/"), f"{path}/", *sorted(path + name for name in files)]
    return [other for other in others if writing.rewritten(other) == path]


def _holds(writing: Writing, origin: str, going: Mapping[str, str], known: Iterable[str], single: Mapping[str, str]) -> bool:
    """Whether a rule leads all pages that are to go by it where they should go, and no page that stays."""
    there = (url for url in known if _origin(url) == origin)
    expected = {url: writing.rewritten(url.removeprefix(origin)) for url in (*going, *there)}
    return all(
        path is None or (url in single and url not in going) or going.get(url) == origin + path
        for url, path in expected.items()
    ) and all(expected[url] is not None for url in going)
