"""Whether the server is who it says it is.

In:  the certificates that servers show.
Out: connections to those that are trusted, and why the others are not.
"""

from __future__ import annotations

import socket
import ssl
from collections.abc import Iterator
from typing import Any

from OpenSSL import SSL
from scrapy.core.downloader import contextfactory
from scrapy.crawler import Crawler
from service_identity import VerificationError
from twisted.web.client import BrowserLikePolicyForHTTPS

BAD_CERTIFICATES = "MARDOK_BAD_CERTIFICATES"
"""Under this name the settings of scrapy hold the hosts whose certificate may be bad."""
_MOST_CAUSES = 20


class CheckedCertificates(BrowserLikePolicyForHTTPS):
    """Trusts certificates as browsers do, but for the hosts whose certificate may be bad."""

    def __init__(self, allowed: tuple[str, ...], anything: Any) -> None:
        super().__init__()  # type: ignore[no-untyped-call]
        self._allowed, self._anything = frozenset(host.lower() for host in allowed), anything

    @classmethod
    def from_crawler(cls, crawler: Crawler, **_: Any) -> CheckedCertificates:
        """Make one."""
        anything = contextfactory._ScrapyClientContextFactory(verify_certificates=False)
        return cls(tuple(crawler.settings.getlist(BAD_CERTIFICATES)), anything)

    def creatorForNetloc(self, hostname: bytes, port: int) -> Any:
        """How to speak to a host."""
        if hostname.decode("ascii", "replace").lower() in self._allowed:
            return self._anything.creatorForNetloc(hostname, port)
        return super().creatorForNetloc(hostname, port)


def certificate_trouble(host: str, port: int, timeout_s: float) -> str:
    """Why the certificate of a host is not trusted, ``""`` if it is; nothing but the beginning of a connection is sent."""
    try:
        with (
            socket.create_connection((host, port), timeout=timeout_s) as connection,
            ssl.create_default_context().wrap_socket(connection, server_hostname=host),
        ):
            return ""
    except ssl.SSLCertVerificationError as error:
        return f"its certificate is not trusted ({error.verify_message.partition(',')[0].rstrip('.')})"
    except (OSError, ValueError):
        return ""


def causes(error: object) -> Iterator[object]:
    """An error and those behind it."""
    waiting, n_seen = [error], 0
    while waiting and n_seen < _MOST_CAUSES:
        last = waiting.pop()
        n_seen += 1
        yield last
        waiting += [part.value for part in getattr(last, "reasons", None) or ()]
        waiting += [cause for cause in (getattr(last, "__cause__", None),) if cause is not None]


def may_be_distrust(error: object) -> bool:
    """Whether an error may be about the certificate of the server."""
    return any(isinstance(one, (VerificationError, SSL.Error)) for one in causes(error))
