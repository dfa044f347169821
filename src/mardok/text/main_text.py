"""Which blocks of a page are its main text.

In:  the blocks of one page with the landmarks they stand in.
Out: for each block whether it is main text, and if not, why.
"""

from __future__ import annotations

from collections.abc import Sequence

from mardok.extract.page import Block

_NEVER_MAIN = frozenset(["nav", "hidden", "noscript", "form control"])


def main_blocks(blocks: Sequence[Block]) -> list[str]:
    """Why each block is not main text; ``""`` for those that are.

    Main text is what stands in a main landmark, else in the body, without chrome. The settings ``text.only`` and
    ``text.ignore`` win over that. If nothing is left, it is the body without navigation.
    """
    has_main = any(block.in_main for block in blocks)
    reasons = _ignoring(blocks, [_reason(block, has_main) for block in blocks])
    if any(block.chosen == "only" for block in blocks):
        reasons = _ignoring(blocks, ["" if block.chosen == "only" else "not in text.only" for block in blocks])
    elif "" not in reasons:
        fallback = [block.chrome if block.chrome in _NEVER_MAIN else "" for block in blocks]
        reasons = _ignoring(blocks, fallback)
    return reasons


def _reason(block: Block, has_main: bool) -> str:
    return block.chrome or ("outside main" if has_main and not block.in_main else "")


def _ignoring(blocks: Sequence[Block], reasons: list[str]) -> list[str]:
    return ["in text.ignore" if block.chosen == "ignore" else why for block, why in zip(blocks, reasons, strict=True)]
