"""The form in which every source hands over its pages.

In:  nothing; these are the records.
Out: one :class:`RawPage` for each response, in the order of the source, and one :class:`Intake` that counts the rest.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import NamedTuple

from mardok.vocabulary import CheckId, CrawlEnd, NotComputed


class CrawlEnding(NamedTuple):
    """How a crawl ended; as text it stands in the file of the crawl."""

    end: CrawlEnd = CrawlEnd.UNKNOWN
    value: str = ""
    """The setting whose limit was reached, or what made the crawl stop."""

    def __str__(self) -> str:
        return f"{self.end}{_OF}{self.value}" if self.value else str(self.end)

    @classmethod
    def read(cls, text: str) -> CrawlEnding:
        """The ending from its text; unknown if it is none.

        Examples
        --------
        >>> CrawlEnding.read("limit: crawl.max_pages").value
        'crawl.max_pages'
        """
        name, _, value = text.partition(_OF)
        return cls(CrawlEnd(name), value) if name in tuple(CrawlEnd) else cls()


_OF = ": "


@dataclass(frozen=True, slots=True)
class RawPage:
    """One response as it came, decompressed but not yet decoded or parsed."""

    url: str
    """Address in its one form."""
    source: str
    """File or folder it came from."""
    status: int | None = None
    """HTTP status; None where the source does not tell."""
    headers: tuple[tuple[str, str], ...] = ()
    """HTTP headers, names in lower case."""
    body: bytes | None = None
    """HTML; None where there is none."""
    fields: Mapping[str, str] = field(default_factory=dict)
    """What a table says of the page without HTML, by the names of :data:`mardok.tables.INPUT_COLUMNS`."""
    trouble: str = ""
    """Why the body could not be read."""
    rendered: bytes | None = None
    """HTML after the page's scripts ran, UTF-8; None where no browser looked at it."""
    short_url: str = ""
    """Of a file, its address without the suffix, where no other file has it: a server may leave the suffix out."""

    def header(self, name: str) -> str:
        """First value of a header, ``""`` if there is none."""
        return next((value for key, value in self.headers if key == name), "")


@dataclass(frozen=True, slots=True)
class Unread:
    """One record, file or row that could not be read, whole or in part."""

    source: str
    place: str
    url: str
    reason: str


@dataclass(frozen=True)
class Intake:
    """What was met in sources that were read to the end, beside the pages."""

    unread: tuple[Unread, ...] = ()
    """What could not be read."""
    skipped: Mapping[str, int] = field(default_factory=dict)
    """Number of responses that are not HTML, by content type."""
    robots: Mapping[str, str] = field(default_factory=dict)
    """Text of robots.txt by origin, such as ``https://host.example``."""
    sitemaps: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Pages that each sitemap lists, by its address."""
    html_instead: Mapping[str, CheckId] = field(default_factory=dict)
    """Addresses that answer with HTML where another file is expected, with the check that finds it."""
    images: Mapping[str, int] = field(default_factory=dict)
    """HTTP status of images that were asked for."""
    broken_parts: Mapping[str, int] = field(default_factory=dict)
    """HTTP status of scripts, style sheets and the like that answered with an error."""
    other_files: frozenset[str] = frozenset()
    """Addresses that answered with something else than HTML."""
    failed: Mapping[str, str] = field(default_factory=dict)
    """Addresses that gave no answer, with the reason."""
    probes: tuple[RawPage, ...] = ()
    """What servers said of addresses that cannot exist."""
    ended: CrawlEnding = field(default_factory=CrawlEnding)
    """How the crawl ended, where its file tells."""
    missing: Mapping[NotComputed, str] = field(default_factory=dict)
    """What the sources cannot tell, with the reason: it is not computed."""
    first_day: str = ""
    last_day: str = ""
    """Days on which the first and the last answer came, YYYY-MM-DD, where the sources tell."""


@dataclass
class OpenIntake:
    """What is met while sources are read; the fields are those of :class:`Intake`."""

    unread: list[Unread] = field(default_factory=list)
    skipped: Counter[str] = field(default_factory=Counter)
    robots: dict[str, str] = field(default_factory=dict)
    sitemaps: dict[str, tuple[str, ...]] = field(default_factory=dict)
    html_instead: dict[str, CheckId] = field(default_factory=dict)
    images: dict[str, int] = field(default_factory=dict)
    broken_parts: dict[str, int] = field(default_factory=dict)
    other_files: set[str] = field(default_factory=set)
    failed: dict[str, str] = field(default_factory=dict)
    probes: list[RawPage] = field(default_factory=list)
    ended: CrawlEnding = field(default_factory=CrawlEnding)
    missing: dict[NotComputed, str] = field(default_factory=dict)
    first_day: str = ""
    last_day: str = ""

    def came(self, day: str) -> None:
        """Note the day on which an answer came."""
        self.first_day = min(self.first_day or day, day)
        self.last_day = max(self.last_day, day)

    def closed(self) -> Intake:
        """What was met, when all sources have been read to the end."""
        met = {one.name: getattr(self, one.name) for one in fields(self)}
        return Intake(
            **{**met, "unread": tuple(self.unread), "probes": tuple(self.probes), "other_files": frozenset(self.other_files)}
        )

    def add(self, more: Intake) -> None:
        """Add what was met in sources that were read after these."""
        self.unread += more.unread
        self.probes += more.probes
        self.skipped.update(more.skipped)
        self.other_files |= more.other_files
        for one in _BY_ADDRESS:
            getattr(self, one).update(getattr(more, one))
        self.ended = self.ended if more.ended.end == CrawlEnd.UNKNOWN else more.ended
        for day in filter(None, (more.first_day, more.last_day)):
            self.came(day)


_BY_ADDRESS = ("robots", "sitemaps", "html_instead", "images", "broken_parts", "failed", "missing")
"""What is met once for each address: of several answers the last one counts."""
