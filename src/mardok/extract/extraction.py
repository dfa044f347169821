"""From raw pages to facts, one page at a time, in as many processes as there are to use.

In:  raw pages of any source.
Out: their facts in batches, in the same order.
"""

from __future__ import annotations

import hashlib
import logging
from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from itertools import islice

from w3lib.encoding import html_to_unicode

from mardok.extract import directives
from mardok.extract.batch import Batch, batch_of
from mardok.extract.html import Document, read_document
from mardok.extract.language import CHECKED_CHARACTERS, language_of
from mardok.extract.page import Block, Context, Page
from mardok.memory import no_search_for_cycles
from mardok.processes import process_context
from mardok.settings import Settings
from mardok.sources.raw import RawPage
from mardok.urls import bare_host, normal_url, resolved_url

log = logging.getLogger(__name__)
_BATCH = 64
_GIVEN = Context("p", "body", 0, "", in_main=False, chosen="")


def extract_batches(raws: Iterable[RawPage], settings: Settings, jobs: int = 1) -> Iterator[Batch]:
    """Facts of raw pages, in order.

    Parameters
    ----------
    raws : iterable of RawPage
        Read as the facts are taken, never all at once.
    settings : Settings
        The sections ``extract``, ``text`` and ``language`` are used.
    jobs : int
        Processes; with 1 everything happens in this one.
    """
    remaining = iter(raws)
    batches = iter(lambda: list(islice(remaining, _BATCH)), [])
    extract = partial(_extract_batch, settings=settings)
    if jobs == 1:
        yield from map(extract, batches)
        return
    with ProcessPoolExecutor(jobs, process_context()) as pool:
        waiting: deque[tuple[list[RawPage], Future[Batch] | None]] = deque()
        for batch in batches:
            waiting.append((batch, _submitted(pool, extract, batch)))
            if len(waiting) > 2 * jobs:
                yield _result(*waiting.popleft(), extract)
        while waiting:
            yield _result(*waiting.popleft(), extract)


def _submitted(
    pool: ProcessPoolExecutor, extract: Callable[[list[RawPage]], Batch], batch: list[RawPage]
) -> Future[Batch] | None:
    """A batch in the queue of the pool; None where the pool is broken by now."""
    try:
        return pool.submit(extract, batch)
    except BrokenProcessPool:
        return None


def _result(batch: list[RawPage], future: Future[Batch] | None, extract: Callable[[list[RawPage]], Batch]) -> Batch:
    """What came of a batch; it is read here where its process was killed."""
    try:
        return future.result() if future is not None else extract(batch)
    except BrokenProcessPool:
        log.warning("a process was killed (for want of memory?); its %d pages are read in this one", len(batch))
        return extract(batch)


def _extract_batch(raws: list[RawPage], settings: Settings) -> Batch:
    with no_search_for_cycles():
        return batch_of(extract_page(raw, settings) for raw in raws)


def extract_page(raw: RawPage, settings: Settings) -> Page:
    """Facts of one raw page."""
    if raw.body is None:
        return _page_from_fields(raw, settings)
    _, text = html_to_unicode(raw.header("content-type") or None, raw.body, auto_detect_fun=_detected_encoding)
    document = read_document(text, raw.url, settings.text.only, settings.text.ignore)
    script_words = None
    if raw.rendered is not None:
        after = read_document(raw.rendered.decode("utf-8", "replace"), raw.url, settings.text.only, settings.text.ignore)
        script_words = sum((_shown_words(after) - _shown_words(document)).values())
        document = after if settings.sources.rendered else document
    canonicals = directives.canonical_addresses(raw, document.link_elements, document.base)
    if "canonical" in settings.extract.disregard:
        canonicals = [url for url in canonicals if bare_host(url) == bare_host(raw.url)]
    declared = document.language or raw.header("content-language").partition(",")[0].strip().lower()
    # A file that names itself without its suffix is known by that address wherever it is served.
    names_itself = raw.short_url and next(iter(canonicals), "") in (raw.short_url, f"{raw.short_url}/")
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
        language=language_of(_beginning(document), declared, settings.language),
        alternates=directives.language_alternates(raw, document.link_elements, document.base),
        blocks=tuple(document.blocks),
        images=tuple(document.images),
        bytes_hash=hashlib.sha256(raw.body).hexdigest(),
        trouble=raw.trouble,
        is_html=True,
        script_words=script_words,
        signs=document.signs._replace(canonicals=tuple(dict.fromkeys(filter(None, canonicals))), loaded=_loaded(document)),
    )


def _loaded(document: Document) -> tuple[str, ...]:
    """Absolute addresses of the scripts and style sheets of a document."""
    styles = [
        element.get("href", "") for element in document.link_elements if "stylesheet" in element.get("rel", "").lower()
    ]
    result = (resolved_url(address, document.base) for address in [*document.scripts, *styles] if address)
    return tuple(dict.fromkeys(filter(None, result)))


def _beginning(document: Document) -> str:
    """The first blocks that are no chrome, enough of them to tell their language."""
    texts: list[str] = []
    remaining = CHECKED_CHARACTERS
    for text, context, *_ in document.blocks:
        if not context.chrome and text:
            texts.append(text)
            remaining -= len(text) + 1
            if remaining < 0:
                break
    return " ".join(texts)


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


def _page_from_fields(raw: RawPage, settings: Settings) -> Page:
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
        language=language_of(text, declared, settings.language),
        alternates=directives.language_alternates(raw, (), raw.url),
        blocks=tuple(blocks),
        images=(),
        bytes_hash="",
        trouble=raw.trouble,
        is_html=bool(given),
        h1_given=" ".join(given.get("h1", "").split()),
    )
