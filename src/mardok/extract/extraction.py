"""From raw pages to facts, one page at a time, in as many processes as there are to use.

In:  raw pages of any source.
Out: their facts in batches, in the same order.
"""

from __future__ import annotations

import logging
import signal
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from itertools import islice
from operator import attrgetter
from typing import TypeVar

import xxhash
from w3lib.encoding import html_to_unicode

from mardok.extract import directives
from mardok.extract.batch import Batch, batch_of
from mardok.extract.html import Document, read_document
from mardok.extract.page import Block, Context, Page
from mardok.memory import no_search_for_cycles
from mardok.processes import Lost, can_fork, is_worker, workers
from mardok.settings import Settings
from mardok.sources.limits import within_limits
from mardok.sources.raw import RawPage
from mardok.urls import bare_host, normal_url, resolved_url

log = logging.getLogger(__name__)
_BATCH = 64
_Piece = TypeVar("_Piece")
_Result = TypeVar("_Result")
_REASONS: Mapping[int, str] = {
    signal.SIGPROF: "takes longer to read than {most:g} s (extract.max_seconds)",
    signal.SIGKILL: "its process was killed while it was read (for want of memory?)",
    signal.SIGSEGV: "the parser cannot read it",
}
"""Why a page is not read, by the signal that ended its process."""
_LINKS = attrgetter("links")
_REPLACED = "\ufffd"
"""What stands for bytes that are no text."""
_ENDED = "its process ended while it was read"
_GIVEN = Context("p", "body", 0, "", in_main=False, chosen="")


def extract_batches(raws: Iterable[RawPage], settings: Settings, jobs: int = 1) -> Iterator[Batch]:
    """Facts of raw pages, in order.

    Parameters
    ----------
    raws : iterable of RawPage
        Read as the facts are taken, never all at once.
    settings : Settings
        The sections ``extract`` and ``text`` are used.
    jobs : int
        Processes; with 1 everything happens in this one.
    """
    remaining = iter(raws)
    batches = iter(lambda: list(islice(remaining, _BATCH)), [])
    for batch, result in _in_processes(partial(_extract_batch, settings=settings), batches, jobs):
        yield _read_again(batch, settings) if isinstance(result, Lost) else result


def extract_pages(raws: Sequence[RawPage], settings: Settings) -> list[Page]:
    """Facts of a few raw pages, with their blocks; those that cannot be read are left out."""
    alone = _in_processes(partial(extract_page, settings=settings), raws, 1) if raws else ()
    return [page for _, page in alone if not isinstance(page, Lost)]


def _in_processes(
    work: Callable[[_Piece], _Result], pieces: Iterable[_Piece], jobs: int
) -> Iterator[tuple[_Piece, _Result | Lost]]:
    """What came of each piece, in their order.

    Pages are hostile: where there is a way to, none is read in this process, unless that may end over them.
    """
    if jobs == 1 and (is_worker() or not can_fork()):
        yield from ((piece, work(piece)) for piece in pieces)
        return
    with workers(work, jobs) as readers:
        yield from readers.results(pieces)


def _read_again(batch: list[RawPage], settings: Settings) -> Batch:
    """Read each page of a batch alone, since one of them ended its process; that one is named."""
    log.warning("a process that read pages ended (for want of memory?); its %d pages are read again, each alone", len(batch))
    pages = []
    for raw, page in _in_processes(partial(extract_page, settings=settings), batch, 1):
        if isinstance(page, Lost):
            page = bare_page(raw, page.signal, settings)
        pages.append(page)
    return batch_of(pages)


def bare_page(raw: RawPage, ended_by: int, settings: Settings) -> Page:
    """What is known of a page over which a process ended, named as unread.

    Parameters
    ----------
    ended_by : int
        The signal that ended the process; 0 if none did.
    """
    reason = _REASONS.get(ended_by, _ENDED).format(most=settings.extract.max_seconds)
    log.warning("%s: %s", raw.url, reason)
    bare = RawPage(raw.url, raw.source, raw.status, raw.headers, trouble=reason)
    return replace(extract_page(bare, settings), unread=(reason,))


def _extract_batch(raws: list[RawPage], settings: Settings) -> Batch:
    with no_search_for_cycles():
        return batch_of(extract_page(raw, settings) for raw in raws)


def extract_page(raw: RawPage, settings: Settings) -> Page:
    """Facts of one raw page.

    A process that may end over its work is ended by the system when a page takes longer than it may.
    """
    with _time_limit(settings.extract.max_seconds):
        return _page_from_fields(raw) if raw.body is None else _page_from_html(raw, raw.body, settings)


@contextmanager
def _time_limit(seconds: float) -> Iterator[None]:
    """A limit to the time of a processor that the system keeps, even where the parser never comes back."""
    if not is_worker() or not hasattr(signal, "setitimer"):
        yield
        return
    signal.signal(signal.SIGPROF, signal.SIG_DFL)
    signal.setitimer(signal.ITIMER_PROF, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_PROF, 0)


def _page_from_html(raw: RawPage, body: bytes, settings: Settings) -> Page:
    encoding, text = html_to_unicode(raw.header("content-type") or None, body, auto_detect_fun=_detected_encoding)
    is_as_written = encoding == "utf-8" and _REPLACED not in text
    document, past = _read_within_limits(text, raw.url, settings, body if is_as_written else None)
    script_words = None
    if raw.rendered is not None:
        after, past = _read_within_limits(raw.rendered.decode("utf-8", "replace"), raw.url, settings, None)
        script_words = sum((_shown_words(after) - _shown_words(document)).values())
        document = after if settings.sources.rendered else document
    canonicals = directives.canonical_addresses(raw, document.link_elements, document.base)
    if "canonical" in settings.extract.disregard:
        canonicals = [url for url in canonicals if bare_host(url) == bare_host(raw.url)]
    declared = document.language or raw.header("content-language").partition(",")[0].strip().lower()
    # A file that names itself without its suffix is known by that address wherever it is served.
    names_itself = raw.short_url and next(iter(canonicals), "") in (raw.short_url, f"{raw.short_url}/")
    different = tuple(dict.fromkeys(filter(None, canonicals)))
    return Page(
        url=canonicals[0] if names_itself else raw.url,
        source=raw.source,
        status=raw.status,
        redirect_url=directives.redirect_target(raw, document.metas, document.base),
        title=document.title,
        description=_description(document),
        robots=() if "noindex" in settings.extract.disregard else directives.robots_directives(raw, document.metas),
        canonical_url=next(iter(canonicals), ""),
        declared_language=declared,
        language="",
        alternates=directives.language_alternates(raw, document.link_elements, document.base),
        blocks=tuple(document.blocks),
        images=tuple(document.images),
        bytes_hash=xxhash.xxh3_128_hexdigest(body),
        trouble=raw.trouble,
        unread=tuple(f"goes past {setting}; the part within it is used" for setting in past),
        is_html=True,
        script_words=script_words,
        signs=document.signs._replace(
            canonicals=different if len(different) > 1 else (),
            canonical_is_relative=directives.has_relative_canonical(document.link_elements),
            loaded=_loaded(document),
            set_apart=document.set_apart,
        ),
    )


def _read_within_limits(text: str, url: str, settings: Settings, written: bytes | None) -> tuple[Document, tuple[str, ...]]:
    """A document, which may be at hand in UTF-8 too, and the settings whose limits it was past."""
    limits = settings.extract
    kept, past = within_limits(text, limits)
    if kept is not text:
        written = None
    document = read_document(kept, url, settings.text.only, settings.text.ignore, written=written)
    more = []
    if len(document.blocks) > limits.max_blocks:
        del document.blocks[limits.max_blocks :]
        more.append("extract.max_blocks")
    if len(document.images) > limits.max_images:
        del document.images[limits.max_images :]
        more.append("extract.max_images")
    if sum(map(len, map(_LINKS, document.blocks))) > limits.max_links:
        left = limits.max_links
        for number, block in enumerate(document.blocks):
            if len(block.links) > left:
                document.blocks[number] = block._replace(links=block.links[:left])
            left = max(0, left - len(block.links))
        more.append("extract.max_links")
    return document, tuple(dict.fromkeys((*past, *more)))


def _loaded(document: Document) -> tuple[str, ...]:
    """Absolute addresses of the scripts and style sheets of a document."""
    styles = [
        element.get("href", "") for element in document.link_elements if "stylesheet" in element.get("rel", "").lower()
    ]
    result = (resolved_url(address, document.base) for address in [*document.scripts, *styles] if address)
    return tuple(dict.fromkeys(filter(None, result)))


def _shown_words(document: Document) -> Counter[str]:
    """How often each word stands in blocks that are shown."""
    shown = (block.text for block in document.blocks if block.context.chrome != "hidden")
    return Counter(word for text in shown for word in text.casefold().split())


def _detected_encoding(body: bytes) -> str:
    """Encoding of an undeclared body: UTF-8 where it is valid, else the web's default for legacy pages."""
    try:
        body.decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def _description(document: Document) -> str:
    for meta in document.metas:
        if meta.get("name", "").strip().lower() == "description":
            return " ".join(meta.get("content", "").split())
    return ""


def _page_from_fields(raw: RawPage) -> Page:
    """Facts of a page without HTML: a redirect, an error, or a row of a table."""
    given = raw.fields
    text = given.get("text", "")
    blocks = [Block(" ".join(line.split()), _GIVEN) for line in text.splitlines() if line.strip()]
    stated = {"name": "robots", "content": given.get("robots", "")}
    declared = (given.get("language", "") or raw.header("content-language")).strip().lower()
    return Page(
        url=raw.url,
        source=raw.source,
        status=raw.status,
        redirect_url=directives.redirect_target(raw, (), raw.url),
        title=" ".join(given.get("title", "").split()),
        description=" ".join(given.get("description", "").split()),
        robots=directives.robots_directives(raw, [stated]),
        canonical_url=(given.get("canonical_url") and normal_url(given["canonical_url"], raw.url))
        or next(iter(directives.canonical_addresses(raw, (), raw.url)), ""),
        declared_language=declared,
        language="",
        alternates=directives.language_alternates(raw, (), raw.url),
        blocks=tuple(blocks),
        images=(),
        bytes_hash="",
        trouble=raw.trouble,
        is_html=bool(given),
        h1_given=" ".join(given.get("h1", "").split()),
    )
