"""Audits the content of a crawled site: copies, repeated wording, rival pages, and a ranked plan of what to do."""

from mardok import figures
from mardok.compare.copies import find_copies
from mardok.compare.difference import Run
from mardok.deliver.notebook import PageGroup, PagePair
from mardok.errors import (
    FolderError,
    HandoffError,
    MardokError,
    SelectionError,
    SettingsError,
    SourceError,
    TableError,
    UnknownPageError,
    UnsafePlanError,
)
from mardok.pipeline import Audit, audit, load
from mardok.questions import Selection, mentions, missing_links, passages, phrases
from mardok.settings import Settings, read_settings
from mardok.sources.crawl.run import CrawlSummary, crawl

__all__ = [
    "Audit",
    "CrawlSummary",
    "FolderError",
    "HandoffError",
    "MardokError",
    "PageGroup",
    "PagePair",
    "Run",
    "Selection",
    "SelectionError",
    "Settings",
    "SettingsError",
    "SourceError",
    "TableError",
    "UnknownPageError",
    "UnsafePlanError",
    "audit",
    "crawl",
    "figures",
    "find_copies",
    "load",
    "mentions",
    "missing_links",
    "passages",
    "phrases",
    "read_settings",
]
