"""Which page of a later audit a page of an earlier one is.

In:  the states before and after.
Out: the address of each page now. A page that was moved by redirect to an address that is new is the same page; one that
     redirects to a page that was there before has gone into that.
"""

from __future__ import annotations

from mardok.rechecking.verdict import Compared


class Identity:
    """Pages of two states that are the same."""

    def __init__(self, compared: Compared) -> None:
        before, after = compared.before, compared.after
        self.now: dict[str, str] = {}
        """Address now of each page that was seen again and has not gone into another."""
        self.merged: set[str] = set()
        """Pages that redirect to a page that was there before, or nowhere."""
        self.origin: dict[str, str] = {}
        """Address before of each page that was there."""
        moved = []
        redirects, redirected = after.column("redirect_url"), before.column("redirect_url")
        for url, there in before.row_of.items():
            row = after.row_of.get(url, -1)
            if row < 0:
                continue
            if redirects[row] and not redirected[there]:
                moved.append(url)
            else:
                self.now[url] = self.origin[url] = url
        for url in moved:
            way = after.way(url)
            if way.row >= 0 and compared.is_new(way.end) and way.end not in self.origin:
                self.now[url], self.origin[way.end] = way.end, url
            else:
                self.merged.add(url)

    def is_seen(self, url: str) -> bool:
        """Whether a page of the earlier state was asked for again."""
        return url in self.now or url in self.merged
