"""The record of one fetch.

In:  nothing; these are the records.
Out: what is to be fetched, and what came of it, as it goes into the archive and comes back from it.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Task:
    """One address to fetch."""

    url: str
    kind: str
    """``page``, ``robots``, ``sitemap``, ``image``, ``part``, which is what the scripts of a page ask for, or ``probe``: an
    address that cannot exist, to see what the server says then."""
    depth: int
    """Links from a start address to it."""


@dataclass(frozen=True, slots=True)
class Fetched:
    """One answer, or the failure to get one."""

    task: Task
    status: int = 0
    """HTTP status; 0 if there was no answer."""
    headers: tuple[tuple[str, str], ...] = ()
    """Names as sent, in order, without those of the connection itself."""
    body: bytes = b""
    """Without transfer coding, with its content coding."""
    failure: str = ""
    """Why there is no answer."""
    truncated: str = ""
    """Why the body is not whole, in the words of ISO 28500: ``length``, ``disconnect``."""
    ip_address: str = ""
    rendered: str = ""
    """HTML of the page after its scripts ran; ``""`` if it was not rendered."""

    def header(self, name: str) -> str:
        """First value of a header (name in lower case), ``""`` if there is none."""
        return next((value for key, value in self.headers if key.lower() == name), "")
