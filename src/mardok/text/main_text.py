"""Which blocks of a page are its main text.

In:  the blocks of all pages with the landmarks they stand in and the links that cover them.
Out: for each block whether it is main text, and if not, why.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence

from mardok.extract.html import NOTICE
from mardok.extract.page import Block, Page
from mardok.settings import Text

_NEVER_MAIN = frozenset(["nav", "hidden", "noscript", "form control", "menu", NOTICE])


def repeated_furniture(pages: Iterable[Page], settings: Text) -> frozenset[str]:
    """Texts of blocks that look like furniture and stand on many pages: menus and notices outside the landmarks.

    Like a menu looks what links cover from end to end, like a notice what calls itself one. Neither half is enough: a list
    of links may be what a page is for, and a pasted description stands on many pages.
    """
    pages = list(pages)
    counts: Counter[str] = Counter()
    for page in pages:
        counts.update({page.blocks[number].text for number in _like_furniture(page, settings)})
    least = max(settings.menu_pages, settings.menu_page_share * len(pages))
    return frozenset(text for text, n in counts.items() if n >= least)


def _like_furniture(page: Page, settings: Text) -> dict[int, str]:
    """Blocks that look like furniture, and like which."""
    covered: Counter[int] = Counter()
    for link in page.links:
        covered[link.block] += link.end - link.start
    share = settings.menu_link_share
    found = {number: NOTICE for number, block in enumerate(page.blocks) if block.place == NOTICE}
    for number, n in covered.items():
        if number >= 0 and n >= share * len(page.blocks[number].text):
            found[number] = "menu"
    return found


def main_blocks(page: Page, furniture: Collection[str], settings: Text) -> list[str]:
    """Why each block of a page is not main text; ``""`` for those that are.

    Main text is what stands in a main landmark, else in the body, without chrome. The settings ``text.only`` and
    ``text.ignore`` win over that. If nothing is left, it is the body without navigation.

    Parameters
    ----------
    furniture : collection of str
        Texts of :func:`repeated_furniture`.
    """
    blocks = page.blocks
    has_main = any(block.in_main for block in blocks)
    reasons = [_reason(block, has_main) for block in blocks]
    for number, kind in _like_furniture(page, settings).items():
        if not reasons[number] and blocks[number].text in furniture:
            reasons[number] = kind
    reasons = _ignoring(blocks, reasons)
    if any(block.chosen == "only" for block in blocks):
        reasons = _ignoring(blocks, ["" if block.chosen == "only" else "not in text.only" for block in blocks])
    elif "" not in reasons:
        fallback = [why if why in _NEVER_MAIN else "" for why in reasons]
        reasons = _ignoring(blocks, fallback)
    return reasons


def _reason(block: Block, has_main: bool) -> str:
    return block.chrome or ("outside main" if has_main and not block.in_main else "")


def _ignoring(blocks: Sequence[Block], reasons: list[str]) -> list[str]:
    return ["in text.ignore" if block.chosen == "ignore" else why for block, why in zip(blocks, reasons, strict=True)]
