"""The blocks of a document, made of one stream of its texts.

In:  texts in the parser's canonical form, in document order; where blocks end, and where links begin and end.
Out: blocks with their links.

The texts are only gathered as they come, with a mark where a block or a link ends. Character references, white space and
the parting into blocks are then seen to for the whole stream at once: block by block it costs several times as much.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from mardok.compiled import compiled
from mardok.extract.element_context import ElementContext
from mardok.extract.markup import unescaped
from mardok.extract.page import Block, Context, Link

_END, _BEGIN_LINK, _END_LINK = "\x01", "\x02", "\x03"
END = f" {_END} "
"""What stands where a block ends."""
_MARKS = str.maketrans(_END + _BEGIN_LINK + _END_LINK, "   ")
_ROW_OF_LINKS = re.compile(
    f"{_BEGIN_LINK}[^{_BEGIN_LINK}{_END_LINK}]+{_END_LINK}(?:{_BEGIN_LINK}[^{_BEGIN_LINK}{_END_LINK}]+{_END_LINK})+"
)
_BARE = re.compile(f"(?<! ) *(?:{_BEGIN_LINK}{_END_LINK} *)+")

NO_JOINT = 127
"""Joint of what stands in no element of its own: more than any depth."""
_new = tuple.__new__
"""Makes a tuple with names twice as fast as its own constructor; a page has hundreds."""


def _with_spaces(links: re.Match[str]) -> str:
    """Links that follow one another without space, as those of a share bar: labels, not parts of one word."""
    return " " + links[0].replace(_END_LINK + _BEGIN_LINK, f"{_END_LINK} {_BEGIN_LINK}")


def _with_one_space(links: re.Match[str]) -> str:
    """Links without words, with the space around them before them."""
    return (" " if " " in links[0] else "") + links[0].replace(" ", "")


def _joined(joint: int, blocks: Sequence[Block]) -> Sequence[Block]:
    """Finished blocks, of which the first with a text shares no more than so many elements with the one before."""
    at = next((at for at, block in enumerate(blocks) if block.text), None)
    if at is None or blocks[at].joint <= joint:
        return blocks
    return [*blocks[:at], blocks[at]._replace(joint=joint), *blocks[at + 1 :]]


def without_marks(html: str) -> str:
    """A document in which nothing can be taken for a mark; a character reference can put any character into it."""
    return html.translate(_MARKS) if _END in html or _BEGIN_LINK in html or _END_LINK in html else html


@compiled("scan")
class OpenLink:
    """A link as it is being read; it may reach over several blocks, and has one stretch in each."""

    # Of most links nothing but their own three attributes is ever set.
    alt = ""
    has_image = False
    first = 0
    """Its first one among the pieces, of a link into its own page."""
    is_from_before = False
    """Whether it began in an earlier block."""
    n_stretches = 1
    texts: list[str] | None = None
    """The words of its stretches, of a link that has more than one."""

    def __init__(self, url: str | None, rel: str, in_page: bool) -> None:
        self.url, self.rel, self.in_page = url, rel, in_page


@compiled("scan")
class BlockBuilder:
    """Texts and links as they come, and the blocks they make."""

    def __init__(self, joint: int = 0) -> None:
        self.pieces: list[str] = [END]
        """Texts, and marks where blocks and links begin or end."""
        self.contexts: list[Context] = []
        """Context of each block that has ended."""
        self.joint = joint
        """Least depth of the open elements since the last block ended."""
        self._joints: list[int] = []
        """That of each block that has ended."""
        self.link: OpenLink | None = None
        """The link that is open."""
        self._stretches: list[OpenLink] = []
        """The link of each stretch."""
        self._texts: list[str] = []
        self._inserted: dict[int, list[Block]] = {}
        """Finished blocks, by the number of the block that they stand before."""

    def add(self, text: str) -> None:
        """Put a text behind what is there."""
        self.pieces.append(text)

    def end_block(self, state: ElementContext) -> None:
        """End the present block, if there is anything in it; a link that is open goes on in the next one."""
        if self.pieces[-1] is END:
            return
        link = self.link
        if link is not None:
            self.pieces.append(_END_LINK)
        self.pieces.append(END)
        self.contexts.append(state.context)
        self._joints.append(self.joint)
        self.joint = state.depth
        if link is not None:
            link.is_from_before = True
            link.n_stretches += 1
            self.begin_link(link)

    def insert(self, blocks: Iterable[Block]) -> None:
        """Put finished blocks before the present one."""
        self._inserted.setdefault(len(self.contexts), []).extend(blocks)

    def insert_part(self, blocks: Sequence[Block], depth: int) -> None:
        """Put the blocks of one element, inside of `depth` others, before the present block."""
        self.insert(_joined(self.joint, blocks))
        if any(block.text for block in blocks):
            self.joint = depth

    def begin_link(self, link: OpenLink) -> None:
        """Begin a link, or its next stretch, where none is open."""
        self.link = link
        self.pieces.append(_BEGIN_LINK)
        self._stretches.append(link)
        if link.in_page:
            link.first = len(self.pieces)

    def end_link(self) -> None:
        """End the link that is open, if there is one."""
        link = self.link
        if link is None:
            return
        self.link = None
        if link.in_page and not link.is_from_before and not link.has_image:
            words = unescaped("".join(self.pieces[link.first :]))
            if not any(map(str.isalnum, words)):  # only the sign that headings carry for those who want their address
                del self.pieces[link.first :]
        self.pieces.append(_END_LINK)

    def blocks(self) -> list[Block]:
        """All blocks, when all have ended."""
        if not self.contexts:
            return self._inserted.get(0, [])
        self._texts = self._parted()
        result: list[Block] = []
        first = 0
        over_blocks: list[tuple[int, int, OpenLink]] = []
        dropped = NO_JOINT
        for number, (text, context, joint) in enumerate(zip(self._texts, self.contexts, self._joints, strict=False)):
            if number in self._inserted:
                result += _joined(dropped, self._inserted[number])
                if any(block.text for block in self._inserted[number]):
                    dropped = NO_JOINT
            if dropped < joint:
                joint = dropped
            if _BEGIN_LINK not in text:
                if text:
                    result.append(_new(Block, (text, context, (), joint)))
                    dropped = NO_JOINT
                else:
                    dropped = joint
                continue
            last = first + text.count(_BEGIN_LINK) // 2
            stretches, first = self._stretches[first:last], last
            if len(stretches) == 1 and text[0] == _BEGIN_LINK and text[-1] == _BEGIN_LINK and len(text) > 2:
                link = stretches[0]
                if link.url is not None and link.n_stretches == 1 and link.texts is None:
                    words = text[1:-1]  # nothing but a link, as in menus and teasers
                    links_of_block = (_new(Link, (link.url, words, link.rel, 0, len(words))),)
                    result.append(_new(Block, (words, context, links_of_block, joint)))
                    dropped = NO_JOINT
                    continue
            parts = text.split(_BEGIN_LINK)  # text, words of a link, text, ...
            links: list[Link] = []
            bare: list[Link] = []
            end = 0
            for before, words, link in zip(parts[::2], parts[1::2], stretches, strict=False):
                start = end + len(before)
                end = start + len(words)
                if link.url is None:
                    continue
                if link.n_stretches == 1 and link.texts is None:  # as most
                    if words:
                        links.append(_new(Link, (link.url, words, link.rel, start, end)))
                    else:
                        bare.append(Link(link.url, link.alt, link.rel, 0, 0))
                    continue
                link.n_stretches -= 1
                if words and link.texts is None:
                    link.texts = []
                    over_blocks.append((len(result), len(links), link))
                    links.append(Link(link.url, words, link.rel, start, end))
                if words and link.texts is not None:
                    link.texts.append(words)
            text = "".join(parts).rstrip(" ")
            dropped = NO_JOINT if text else joint
            if text:
                result.append(_new(Block, (text, context, tuple(links), joint)))
            if bare:
                result.append(Block("", context, tuple(bare), NO_JOINT))
        result += _joined(dropped, self._inserted.get(len(self.contexts), ()))
        for block, place, link in over_blocks:
            known = list(result[block].links)
            known[place] = known[place]._replace(anchor=" ".join(link.texts or ()))
            result[block] = result[block]._replace(links=tuple(known))
        return result

    def is_h1(self, number: int) -> bool:
        """Whether a block of those that ended is one of an H1, and has words; once :meth:`blocks` has made them."""
        is_there = 0 <= number < len(self.contexts) and self.contexts[number].level == 1
        return is_there and bool(self._texts[number].strip(_BEGIN_LINK))

    def _parted(self) -> list[str]:
        """Text of each block, with a mark wherever a link begins or ends."""
        whole = "".join(self.pieces[1:])
        if "&" in whole:
            whole = unescaped(whole)
        whole = " ".join(whole.split())
        if self._stretches:
            if _END_LINK + _BEGIN_LINK in whole:
                whole = _ROW_OF_LINKS.sub(_with_spaces, whole)
            # A link covers no space at its ends.
            whole = whole.replace(_BEGIN_LINK + " ", " " + _BEGIN_LINK).replace(" " + _END_LINK, _END_LINK + " ")
            if _BEGIN_LINK + _END_LINK in whole:
                whole = _BARE.sub(_with_one_space, whole)
            while "  " in whole:
                whole = whole.replace("  ", " ")
            whole = whole.replace(_END_LINK, _BEGIN_LINK)
        return [text.strip(" ") for text in whole.split(_END)]
