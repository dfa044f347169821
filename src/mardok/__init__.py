"""Audits the content of a crawled site: copies, repeated wording, rival pages, and a ranked plan of what to do.

The public names are loaded when they are first used (PEP 562), so that a command pays for nothing it does not need.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from mardok import figures
    from mardok.audits import Audit, PageGroup, PagePair, load
    from mardok.beside.compared import ComparedSites
    from mardok.beside.job import versus
    from mardok.beside.overview import overview
    from mardok.beside.topic import TopicAnswer, topic
    from mardok.compare.copies import find_copies
    from mardok.compare.difference import Run
    from mardok.deliver.handoff import HandedOver, hand_off
    from mardok.drafts.job import CheckedDraft, DraftReport, check_draft
    from mardok.errors import (
        FolderError,
        HandoffError,
        MardokError,
        RecheckError,
        SelectionError,
        SettingsError,
        SourceError,
        TableError,
        UnknownPageError,
        UnsafePlanError,
    )
    from mardok.page_search import find_pages
    from mardok.pipeline import audit
    from mardok.questions import Selection, mentions, missing_links, passages, phrases
    from mardok.rechecking.job import recheck
    from mardok.rechecking.rechecked import Rechecked
    from mardok.settings import Settings, read_settings
    from mardok.sheets import PageSheet
    from mardok.sources.crawl.run import CrawlSummary, crawl

_MODULE_OF = {
    "Audit": "audits", "PageGroup": "audits", "PagePair": "audits", "load": "audits", "find_copies": "compare.copies",
    "find_pages": "page_search", "Run": "compare.difference", "HandedOver": "deliver.handoff",
    "hand_off": "deliver.handoff", "FolderError": "errors", "HandoffError": "errors", "MardokError": "errors",
    "RecheckError": "errors",
    "SelectionError": "errors", "SettingsError": "errors", "SourceError": "errors", "TableError": "errors",
    "UnknownPageError": "errors", "UnsafePlanError": "errors", "audit": "pipeline", "Selection": "questions",
    "mentions": "questions", "missing_links": "questions", "passages": "questions", "phrases": "questions",
    "Settings": "settings", "read_settings": "settings", "PageSheet": "sheets", "CrawlSummary": "sources.crawl.run",
    "crawl": "sources.crawl.run", "recheck": "rechecking.job", "Rechecked": "rechecking.rechecked",
    "versus": "beside.job", "overview": "beside.overview", "ComparedSites": "beside.compared",
    "topic": "beside.topic", "TopicAnswer": "beside.topic", "check_draft": "drafts.job", "CheckedDraft": "drafts.job",
    "DraftReport": "drafts.job",
}  # fmt: skip

__all__ = [
    "Audit",
    "CheckedDraft",
    "ComparedSites",
    "CrawlSummary",
    "DraftReport",
    "FolderError",
    "HandedOver",
    "HandoffError",
    "MardokError",
    "PageGroup",
    "PagePair",
    "PageSheet",
    "RecheckError",
    "Rechecked",
    "Run",
    "Selection",
    "SelectionError",
    "Settings",
    "SettingsError",
    "SourceError",
    "TableError",
    "TopicAnswer",
    "UnknownPageError",
    "UnsafePlanError",
    "audit",
    "check_draft",
    "crawl",
    "figures",
    "find_copies",
    "find_pages",
    "hand_off",
    "load",
    "mentions",
    "missing_links",
    "overview",
    "passages",
    "phrases",
    "read_settings",
    "recheck",
    "topic",
    "versus",
]


def __getattr__(name: str) -> Any:
    if name == "figures":
        return import_module("mardok.figures")
    if name not in _MODULE_OF:
        raise AttributeError(f"module 'mardok' has no attribute {name!r}")
    from mardok.memory import no_search_for_cycles  # only here: it is no public name

    with no_search_for_cycles():  # loading makes a hundred thousand objects that stay
        result = getattr(import_module(f"mardok.{_MODULE_OF[name]}"), name)
    globals()[name] = result
    return result


def __dir__() -> list[str]:
    return __all__
