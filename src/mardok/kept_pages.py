"""What was read of the pages of a site, as tables that are kept.

In:  pages in columns, and what else was met in the sources.
Out: tables of columns, and the same again from these.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping
from dataclasses import fields, replace
from typing import Any

import numpy as np

from mardok.extract.page import NO_SIGNS, Context, Page, Signs
from mardok.kept import Tables
from mardok.sources.raw import CrawlEnding, Intake, RawPage, Unread
from mardok.text.columns import Blocks, Columns, Images, Links, links_of, strings
from mardok.vocabulary import CheckId, NotComputed

_PLAIN = tuple(one.name for one in fields(Page) if one.type == "str")
"""Fields of a page that are texts; the others are kept as JSON."""
_OTHERS = tuple(one.name for one in fields(Page) if one.type != "str" and one.name not in ("blocks", "images", "signs"))


def tables_of_reading(columns: Columns, intake: Intake) -> Tables:
    """All that was read, as tables."""
    pages, blocks, links, images = columns.pages, columns.blocks, columns.links, columns.images
    n_links = np.diff(links.first).astype(np.int32)
    return {
        "pages": {
            **{name: [getattr(page, name) for page in pages] for name in _PLAIN},
            **{name: [_json(getattr(page, name)) for page in pages] for name in _OTHERS},
            "signs": ["" if page.signs == NO_SIGNS else _json(page.signs) for page in pages],
            "n_blocks": np.diff(blocks.first),
            "n_images": np.diff(np.searchsorted(images.page, np.arange(len(pages) + 1))),
        },
        "texts": {"text": blocks.texts},
        "contexts": {"context": [_json(context) for context in blocks.contexts]},
        "blocks": {
            "text": blocks.text,
            "context": blocks.context,
            "joint": blocks.joint,
            "n_letters": blocks.n_letters,
            "n_linked_letters": blocks.n_linked_letters,
            "n_links": n_links,
        },
        "places": {"block": blocks.at},
        "links": {"url": links.url, "anchor": links.anchor, "rel": links.rel, "start": links.start, "end": links.end},
        "urls": {"url": links.urls},
        "anchors": {"anchor": links.anchors},
        "rels": {"rel": links.rels},
        "images": {"url": images.url, "alt": images.alt, "has_alt": images.has_alt},
        "image_urls": {"url": images.urls},
        "image_alts": {"alt": images.alts},
        "intake": {"field": list(_intake_texts(intake)), "value": list(_intake_texts(intake).values())},
    }


def reading_of_tables(tables: Tables) -> tuple[Columns, Intake]:
    """All that was read, from its tables."""
    told = tables["pages"]
    plain = [told[name] for name in _PLAIN]
    others = [list(map(_from_json, told[name])) for name in _OTHERS]
    signs = [Signs(*_from_json(text)) if text else NO_SIGNS for text in told["signs"]]
    names = (*_PLAIN, *_OTHERS)
    pages = tuple(
        Page(**dict(zip(names, values, strict=True)), signs=own, blocks=(), images=())
        for own, *values in zip(signs, *plain, *others, strict=True)
    )
    stored = tables["blocks"]
    blocks = Blocks(
        strings(tables["texts"]["text"]),
        np.asarray(stored["text"]),
        tuple(Context(*_from_json(text)) for text in tables["contexts"]["context"]),
        np.asarray(stored["context"]),
        np.asarray(stored["joint"]),
        np.asarray(stored["n_letters"]),
        np.asarray(stored["n_linked_letters"]),
        _begins(told["n_blocks"]),
        np.asarray(tables["places"]["block"]),
    )
    own = tables["links"]
    links: Links = links_of(
        blocks,
        np.asarray(stored["n_links"]),
        **{name: np.asarray(own[name]) for name in ("url", "anchor", "rel", "start", "end")},
        urls=strings(tables["urls"]["url"]),
        anchors=strings(tables["anchors"]["anchor"]),
        rels=strings(tables["rels"]["rel"]),
    )
    shown = tables["images"]
    images = Images(
        np.repeat(np.arange(len(pages), dtype=np.int32), np.asarray(told["n_images"])),
        np.asarray(shown["url"]),
        np.asarray(shown["alt"]),
        np.asarray(shown["has_alt"]),
        strings(tables["image_urls"]["url"]),
        strings(tables["image_alts"]["alt"]),
    )
    met = dict(zip(tables["intake"]["field"], tables["intake"]["value"], strict=True))
    return Columns(pages, blocks, links, images), _intake_of(met)


def with_sources(columns: Columns, intake: Intake, names: Mapping[str, str]) -> tuple[Columns, Intake]:
    """The same with other names of the sources that pages came from."""
    if all(old == new for old, new in names.items()):
        return columns, intake
    pages = tuple(replace(page, source=names.get(page.source, page.source)) for page in columns.pages)
    unread = tuple(Unread(names.get(one.source, one.source), one.place, one.url, one.reason) for one in intake.unread)
    return replace(columns, pages=pages), replace(intake, unread=unread)


def _begins(counts: Any) -> Any:
    return np.concatenate([np.zeros(1, np.int64), np.cumsum(np.asarray(counts, np.int64))])


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=True, separators=(",", ":"))


def _from_json(text: str) -> Any:
    return _frozen(json.loads(text))


def _frozen(value: Any) -> Any:
    """Lists as the tuples that they were."""
    return tuple(map(_frozen, value)) if isinstance(value, list) else value


def _intake_texts(intake: Intake) -> dict[str, str]:
    told: dict[str, Any] = {one.name: getattr(intake, one.name) for one in fields(Intake)}
    told["unread"] = [[one.source, one.place, one.url, one.reason] for one in intake.unread]
    told["other_files"] = sorted(intake.other_files)
    told["probes"] = [_probe_fields(one) for one in intake.probes]
    told["ended"] = str(intake.ended)
    return {name: _json(value) for name, value in told.items()}


def _probe_fields(probe: RawPage) -> dict[str, Any]:
    told = {one.name: getattr(probe, one.name) for one in fields(RawPage)}
    return {name: base64.b64encode(value).decode() if isinstance(value, bytes) else value for name, value in told.items()}


def _probe(told: Mapping[str, Any]) -> RawPage:
    as_bytes = {name: base64.b64decode(told[name]) for name in ("body", "rendered") if told[name] is not None}
    return RawPage(**{**told, "headers": _frozen(told["headers"]), **as_bytes})


def _intake_of(texts: Mapping[str, str]) -> Intake:
    told: dict[str, Any] = {name: json.loads(text) for name, text in texts.items()}
    return Intake(
        **{
            **told,
            "unread": tuple(Unread(*one) for one in told["unread"]),
            "sitemaps": {url: tuple(pages) for url, pages in told["sitemaps"].items()},
            "html_instead": {url: CheckId(check) for url, check in told["html_instead"].items()},
            "other_files": frozenset(told["other_files"]),
            "probes": tuple(map(_probe, told["probes"])),
            "ended": CrawlEnding.read(told["ended"]),
            "missing": {NotComputed(what): reason for what, reason in told["missing"].items()},
        }
    )
