"""How fast pages are collected, against plain scrapy that fetches the same pages and keeps nothing.

Run: ``python benchmarks/crawl.py [PAGES]``. One server on the loopback interface, manners off, 16 requests at once; the two
take turns, three times. Prints the median of each and their ratio (1 = as fast as plain scrapy).
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import mardok

LINKS = 20
WORDS = " ".join(f"word{number}" for number in range(400))

SERVER = """
import asyncio, sys
pages, links, words = int(sys.argv[1]), int(sys.argv[2]), sys.argv[3]
def body(number):
    found = "".join(f"<li><a href=/p{(number * links + k) % pages}>page {k}</a>" for k in range(1, links + 1))
    return f"<html><title>Page {number}</title><body><ul>{found}</ul><p>{words}</p></body>".encode()
async def serve(reader, writer):
    while line := await reader.readline():
        while (await reader.readline()).strip():
            pass
        path = line.split()[1].decode()
        name = path[2:]
        is_page = path == "/" or name.isdigit()
        data = body(int(name or 0)) if is_page else b"not here"
        status = "200 OK" if is_page else "404 Not Found"
        head = [f"HTTP/1.1 {status}", "Content-Type: text/html", f"Content-Length: {len(data)}", "", ""]
        writer.write("\\r\\n".join(head).encode() + data)
        await writer.drain()
async def main():
    server = await asyncio.start_server(serve, "127.0.0.1", 0)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()
asyncio.run(main())
"""

PLAIN = """
import sys, scrapy
from scrapy.crawler import CrawlerProcess
class Plain(scrapy.Spider):
    name = "plain"
    start_urls = [sys.argv[1]]
    def parse(self, response):
        for target in response.css("a::attr(href)").getall():
            yield response.follow(target)
process = CrawlerProcess({"LOG_ENABLED": False, "CONCURRENT_REQUESTS": 16, "CONCURRENT_REQUESTS_PER_DOMAIN": 16})
process.crawl(Plain)
process.start()
"""


def ours(base: str, folder: Path, turn: int) -> float:
    """Seconds of our crawl."""
    settings = mardok.read_settings(assignments=["crawl.delay_s=0", "crawl.concurrency=16"])
    begun = time.perf_counter()
    mardok.crawl(base, out=folder / f"{turn}.warc.gz", settings=settings)
    return time.perf_counter() - begun


def plain(base: str) -> float:
    """Seconds of plain scrapy."""
    begun = time.perf_counter()
    subprocess.run([sys.executable, "-c", PLAIN, base], check=True)
    return time.perf_counter() - begun


def main() -> None:
    """Measure in turns."""
    n_pages = int(sys.argv[1]) if len(sys.argv) > 1 else 3000
    call = [sys.executable, "-c", SERVER, str(n_pages), str(LINKS), WORDS]
    server = subprocess.Popen(call, stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    base = f"http://127.0.0.1:{int(server.stdout.readline())}/"
    try:
        with tempfile.TemporaryDirectory() as name:
            times = [(plain(base), ours(base, Path(name), turn)) for turn in range(3)]
    finally:
        server.kill()
    theirs, own = (statistics.median(column) for column in zip(*times, strict=True))
    print(f"{n_pages} pages: plain scrapy {n_pages / theirs:.0f} pages/s, mardok crawl {n_pages / own:.0f} pages/s")
    print(f"throughput against plain scrapy: {theirs / own:.2f}")


if __name__ == "__main__":
    main()
