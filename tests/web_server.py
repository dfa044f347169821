"""A real web server on the loopback interface, with a log: the made-up site, and a hostile one."""

from __future__ import annotations

import gzip
import http.server
import itertools
import ssl
import threading
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from urllib.parse import parse_qs, urlsplit

from mardok.demo import troubles
from mardok.demo.site import responses

Handler = http.server.BaseHTTPRequestHandler
Answer = Callable[[Handler], None]


@dataclass
class Server:
    """What a test knows of a running server."""

    base: str
    log: list[tuple[float, str, str, dict[str, str]]] = field(default_factory=list)
    """Time, method, path and headers of each request."""

    def count(self, path: str) -> int:
        return sum(1 for _, _, asked, _ in self.log if asked == path)


@contextmanager
def serving(answer: Answer, address: str = "127.0.0.1", tls: ssl.SSLContext | None = None) -> Iterator[Server]:
    """Run a server; `answer` writes each response, to clients that accept its certificate if it shows one."""
    told = Server("")

    class Logged(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            told.log.append((time.monotonic(), self.command, self.path, dict(self.headers)))
            try:
                answer(self)
            except (BrokenPipeError, ConnectionResetError):
                self.close_connection = True

        do_HEAD = do_GET

        def log_message(self, *_: object) -> None:
            pass

        def handle(self) -> None:
            with suppress(ConnectionError, ssl.SSLError):  # the client hung up between two requests, or at the certificate
                super().handle()

    server = http.server.ThreadingHTTPServer((address, 0), Logged)
    server.daemon_threads = True
    if tls is not None:
        server.socket = tls.wrap_socket(server.socket, server_side=True, do_handshake_on_connect=False)
    told.base = f"{'https' if tls else 'http'}://{address}:{server.server_address[1]}"
    thread = threading.Thread(target=server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True)
    thread.start()
    try:
        yield told
    finally:
        server.shutdown()
        server.server_close()


def send(handler: Handler, body: bytes | str = b"", status: int = 200, kind: str = "text/html", **headers: str) -> None:
    """An ordinary response."""
    data = body.encode() if isinstance(body, str) else body
    handler.send_response(status)
    if kind:
        handler.send_header("Content-Type", kind)
    for name, value in headers.items():
        handler.send_header(name.replace("_", "-"), value)
    handler.send_header("Content-Length", str(len(data)))
    handler.end_headers()
    if handler.command != "HEAD":
        handler.wfile.write(data)


def demo_answers(base_of: Callable[[], str]) -> Answer:
    """The made-up site, at whatever address it is served."""
    pages = {
        response.url.removeprefix(troubles.HOST): response
        for response in responses()
        if response.url.startswith(troubles.HOST + "/")
    }

    def answer(handler: Handler) -> None:
        page = pages.get(handler.path)
        if page is None:
            send(handler, "<title>Nothing</title><p>Nothing is here.", 404)
            return
        body = page.body.replace(troubles.HOST, base_of())
        location = {"Location": page.location.replace(troubles.HOST, base_of())} if page.location else {}
        send(handler, body, page.status, page.content_type, **location)

    return answer


@contextmanager
def serving_demo() -> Iterator[Server]:
    """The made-up site."""
    server: list[Server] = []
    with serving(lambda handler: demo_answers(lambda: server[0].base)(handler)) as told:
        server.append(told)
        yield told


HOSTILE_LINKS = [
    "/calendar?month=1", "/s?sid=0", "/loop", "/chain/0", "/endless", "/declared", "/drip", "/bomb", "/as-image", "/as-html",
    "/chunks", "/burst", "/gone-for-ever", "/cookie", "/based/", "/private/x", "/deeper/", "/refresh", "/mixed?b=2&a=1",
    "/mixed?a=1&b=2#part", "/ümlaut", "mailto:a@host.example", "javascript:void(0)", "http://[bad", "/image-page",
]  # fmt: skip
ROBOTS = b"\xef\xbb\xbf# Caf\xe9 \xff\xfe\x00\r\nUser-Agent: *\rDisallow: /private/\r\nSitemap: /maps.xml\r\n"


def hostile_answers(elsewhere: str) -> Answer:
    """A site that does what it can to harm a crawler; `elsewhere` is another server it links to."""
    numbers = itertools.count(1)
    bursts = itertools.count()

    def links(*targets: str) -> str:
        return "<title>x</title><p>some words " + " ".join(f"<a href='{target}'>{target}</a>" for target in targets)

    def zeros(megabytes: int) -> bytes:
        packer = zlib.compressobj(9, zlib.DEFLATED, 31)
        return b"".join(packer.compress(bytes(1 << 20)) for _ in range(megabytes)) + packer.flush()

    bomb = zeros(400)

    def answer(handler: Handler) -> None:
        parts = urlsplit(handler.path)
        path, query = parts.path, parse_qs(parts.query)
        if path == "/":
            send(handler, links(*HOSTILE_LINKS, f"{elsewhere}/away", "/to-elsewhere", "/to-metadata"))
        elif path == "/robots.txt":
            send(handler, ROBOTS, kind="text/plain; charset=utf-16")
        elif path == "/calendar":
            month = int(query["month"][0])
            send(handler, f"<p>month {month}" + links(f"/calendar?month={month + 1}", f"/calendar?month={month - 1}"))
        elif path == "/s":
            again = "".join(f"<a href='/s?sid={next(numbers)}'>next</a>" for _ in range(3))
            send(handler, f"<p>always the same words {again}")
        elif path == "/loop":
            send(handler, status=302, Location="/loop2")
        elif path == "/loop2":
            send(handler, status=302, Location="/loop")
        elif path.startswith("/chain/"):
            step = int(path.rpartition("/")[2])
            send(handler, "<p>end") if step == 6 else send(handler, status=301, Location=f"/chain/{step + 1}")
        elif path == "/endless":
            handler.send_response(200)
            handler.send_header("Content-Type", "text/html")
            handler.send_header("Connection", "close")
            handler.end_headers()
            for _ in range(10_000):
                handler.wfile.write(b"<p>more</p>" * 100_000)
        elif path == "/declared":
            handler.send_response(200)
            handler.send_header("Content-Type", "text/html")
            handler.send_header("Content-Length", str(10**10))
            handler.end_headers()
            handler.wfile.write(b"<p>a beginning")
            time.sleep(20)
        elif path == "/drip":
            handler.send_response(200)
            handler.send_header("Content-Type", "text/html")
            handler.send_header("Connection", "close")
            handler.end_headers()
            for _ in range(100):
                handler.wfile.write(b".")
                handler.wfile.flush()
                time.sleep(0.2)
        elif path == "/bomb":
            send(handler, bomb, Content_Encoding="gzip")
        elif path == "/as-image":
            send(handler, links("/never-seen"), kind="image/png")
        elif path == "/as-html":
            send(handler, bytes(range(256)) * 50)
        elif path == "/chunks":
            handler.send_response(200)
            handler.send_header("Content-Type", "text/html")
            handler.send_header("Transfer-Encoding", "chunked")
            handler.send_header("Connection", "close")
            handler.end_headers()
            handler.wfile.write(b"20\r\n<p>a part <a href=/after-chunks>x</a>")
            handler.close_connection = True
        elif path == "/burst":
            send(handler, "<p>at last", 200 if next(bursts) >= 2 else 503, Retry_After="1")
        elif path == "/gone-for-ever":
            send(handler, "<p>broken", 500)
        elif path == "/cookie":
            if "seen=yes" in handler.headers.get("Cookie", ""):
                send(handler, "<p>welcome" + links("/behind-the-cookie"))
            else:
                send(handler, status=302, Location="/set-cookie")
        elif path == "/set-cookie":
            send(handler, status=302, Location="/cookie", Set_Cookie="seen=yes; Path=/")
        elif path == "/based/":
            send(handler, "<base href='/elsewhere/'>" + links("here"))
        elif path == "/deeper/" or path.startswith("/deeper/"):
            send(handler, links("deeper/"))
        elif path == "/refresh":
            send(handler, "<meta http-equiv=refresh content='0; url=/refreshed'>")
        elif path == "/to-elsewhere":
            send(handler, status=302, Location=f"{elsewhere}/redirected")
        elif path == "/to-metadata":
            send(handler, status=302, Location="http://169.254.169.254/latest/")
        elif path == "/image-page":
            send(handler, "<p>pictures <img src=/good.png><img src=/broken.png alt=''><img src='data:image/gif;base64,x'>")
        elif path == "/good.png":
            send(handler, b"png", kind="image/png")
        elif path == "/maps.xml":
            inner = ["/maps.xml", "/map-bomb.xml.gz", "/map-entities.xml", "/map-html.xml", "/map.xml.gz"]
            body = "".join(f"<sitemap><loc>{path}</loc></sitemap>" for path in inner)
            send(handler, f"<?xml version='1.0'?><sitemapindex>{body}</sitemapindex>", kind="application/xml")
        elif path == "/map-bomb.xml.gz":
            send(handler, bomb, kind="application/gzip")
        elif path == "/map-entities.xml":
            entities = "".join(f"<!ENTITY e{n} '{f'&e{n - 1};' * 10}'>" for n in range(1, 12))
            send(
                handler,
                f"<!DOCTYPE u [<!ENTITY e0 'x'>{entities}]><urlset><url><loc>/e?&e11;</loc></url></urlset>",
                kind="text/xml",
            )
        elif path == "/map-html.xml":
            send(handler, "<html><p>not found")
        elif path == "/map.xml.gz":
            listed = "<url><loc><![CDATA[/only-in-sitemap]]></loc></url><url><loc>/private/listed</loc></url>"
            send(handler, gzip.compress(f"<urlset xmlns='x'>{listed}</urlset>".encode()), kind="application/gzip")
        elif path in ("/broken.png", "/favicon.ico") or path.startswith("/e"):
            send(handler, "<p>nothing", 404)
        else:
            send(handler, f"<title>{path}</title><p>page {path}")

    return answer
