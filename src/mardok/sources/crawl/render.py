"""Pages as their scripts leave them.

In:  an answer with HTML.
Out: the same with the HTML of the page after its scripts ran in Chromium.

The browser reaches nothing by itself: the page it opens is the answer that was fetched, and what its scripts ask for is
fetched by the crawler, with its manners and limits, once. Other hosts, what robots.txt closes, images, fonts and media it
does not get.
"""

from __future__ import annotations

import asyncio
import os
import shutil
from collections.abc import Awaitable, Callable
from dataclasses import replace

from playwright.async_api import Browser, Playwright, Route, async_playwright
from playwright.async_api import Error as BrowserError

from mardok.errors import SourceError
from mardok.settings import Crawl
from mardok.sources.crawl.discovery import plain_body
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.urls import normal_url

Fetch = Callable[[Task], Awaitable[Fetched | None]]
"""Fetches what a page needs; None if it may not be had."""
_PROGRAMS = ("chromium", "chromium-browser", "google-chrome-stable", "google-chrome")
_NEEDED = frozenset(["script", "stylesheet", "xhr", "fetch", "document"])
_KEPT_BYTES = 100_000_000
"""Bytes of scripts and data kept at hand for the pages that need them again."""
_UNFIT_HEADERS = frozenset(["content-encoding", "content-length", "set-cookie", "transfer-encoding"])


def chromium_program() -> str:
    """Path of the system's Chromium.

    Raises
    ------
    SourceError
        If there is none.
    """
    result = next(filter(None, map(shutil.which, _PROGRAMS)), None)
    if result is None:
        raise SourceError("rendering needs Chromium on the system: apt-get install chromium")
    return result


class Renderer:
    """A browser that is opened once and shows many pages."""

    def __init__(self, settings: Crawl, fetch: Fetch) -> None:
        self._settings, self._fetch = settings, fetch
        self._program = chromium_program()
        self._kept: dict[str, Fetched | None] = {}
        self._kept_bytes = 0
        self._playwright: Playwright | None = None
        self._browser: Browser | None = None
        self._turn = asyncio.Lock()

    async def rendered(self, fetched: Fetched) -> Fetched:
        """The answer with what its scripts make of it; as it is if they do not come to an end."""
        async with self._turn:
            try:
                html = await asyncio.wait_for(self._html(fetched), 2 * self._settings.timeout_s)
            except (TimeoutError, BrowserError):
                await self.close()  # a page that hangs may hold the whole browser
                return fetched
        limit = int(self._settings.max_page_mb * 1e6)
        return replace(fetched, rendered=html) if len(html) <= limit else fetched

    async def close(self) -> None:
        """Close the browser; it opens again when needed."""
        browser, playwright, self._browser, self._playwright = self._browser, self._playwright, None, None
        if browser is not None:
            await browser.close()
        if playwright is not None:
            await playwright.stop()

    async def _opened(self) -> Browser:
        if self._browser is None:
            self._playwright = await async_playwright().start()
            sandbox = ["--no-sandbox"] if os.geteuid() == 0 else []
            quiet = ["--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-quic"]
            self._browser = await self._playwright.chromium.launch(executable_path=self._program, args=[*sandbox, *quiet])
        return self._browser

    async def _html(self, fetched: Fetched) -> str:
        context = await (await self._opened()).new_context(service_workers="block", accept_downloads=False)
        try:
            await context.route("**/*", lambda route: self._answer(route, fetched))
            page = await context.new_page()
            milliseconds = 1000 * self._settings.timeout_s
            try:
                await page.goto(fetched.task.url, wait_until="networkidle", timeout=milliseconds)
            except BrowserError:
                if page.url != fetched.task.url:
                    raise
            return await page.content()
        finally:
            await context.close()

    async def _answer(self, route: Route, fetched: Fetched) -> None:
        """What the browser gets for a request."""
        request = route.request
        url = normal_url(request.url)
        is_page = request.is_navigation_request() and request.frame.parent_frame is None
        if is_page and url == fetched.task.url:
            answer: Fetched | None = fetched
        elif is_page or url is None or request.method != "GET" or request.resource_type not in _NEEDED:
            answer = None
        else:
            answer = await self._part(url, fetched.task.depth)
        if answer is None:
            await route.abort()
            return
        body = plain_body(answer, int(self._settings.max_page_mb * 1e6))
        headers = {name: value for name, value in answer.headers if name.lower() not in _UNFIT_HEADERS}
        await route.fulfill(status=answer.status, headers=headers, body=body)

    async def _part(self, url: str, depth: int) -> Fetched | None:
        if url not in self._kept:
            part = await self._fetch(Task(url, "part", depth))
            size = len(part.body) if part is not None else 0
            if self._kept_bytes + size > _KEPT_BYTES:
                return part
            self._kept[url], self._kept_bytes = part, self._kept_bytes + size
        return self._kept[url]
