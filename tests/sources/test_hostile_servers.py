"""Servers that do harm: each crawl of them ends, keeps what was sent as it was sent, tells what happened, and can go on."""

from __future__ import annotations

import datetime
import gzip
import ipaddress
import json
import random
import ssl
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from fastwarc.warc import ArchiveIterator, WarcRecordType
from hypothesis import given, settings
from hypothesis import strategies as st
from web_server import Answer, Handler, Server, send, serving

import mardok
from mardok.errors import SourceError
from mardok.sources.crawl.archive import SCOPE_FIELD, Archive
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.raw import CrawlEnding
from mardok.vocabulary import CrawlEnd

FAST = ("crawl.delay_s=0", "crawl.concurrency=4", "crawl.retries=0")
HOUR = datetime.timedelta(hours=1)
INFO = {SCOPE_FIELD: "this crawl"}

pytestmark = pytest.mark.harm


def crawl(base: str, out: Path, *assignments: str, **more: str) -> mardok.CrawlSummary:
    settings = mardok.read_settings(assignments=[*FAST, *assignments])
    return mardok.crawl(f"{base}/", out=out, settings=settings, credentials=more.get("credentials"))


def gzipped(content: bytes) -> bytes:
    return gzip.compress(content, mtime=0)


def raw(handler: Handler, head: bytes, body: bytes = b"<p>a page of some words") -> None:
    """An answer whose head is the bytes given."""
    handler.wfile.write(b"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nConnection: close\r\n" + head + b"\r\n\r\n" + body)
    handler.close_connection = True


def heads(path: Path) -> dict[str, bytes]:
    """The head of the response of each path, as it is kept."""
    found = {}
    with path.open("rb") as file:
        for record in ArchiveIterator(file, record_types=WarcRecordType.response, parse_http=False):
            head = record.reader.read().partition(b"\r\n\r\n")[0]
            found["/" + record.headers["WARC-Target-URI"].split("/", 3)[3]] = head
    return found


def random_headers(seed: int) -> bytes:
    """Header lines of any bytes but those that end a line."""
    draw = random.Random(seed)
    allowed = [byte for byte in range(1, 256) if byte not in b"\r\n"]
    names = [b"Link", b"X-Robots-Tag", b"Refresh", b"Content-Language", b"Set-Cookie", b"ETag", b"Vary"]
    values = (bytes(draw.choices(allowed, k=draw.randrange(40))) for _ in range(4))
    return b"\r\n".join(draw.choice(names) + b": x" + value.strip() for value in values)


def test_headers_are_kept_in_the_bytes_that_were_sent_and_end_no_crawl(tmp_path: Path) -> None:
    odd = {f"/{seed}": random_headers(seed) for seed in range(300)}
    sent = {"/link": '</größe>; rel="canonical"'.encode(), "/moved": "/größe".encode(), "/latin": "/größe".encode("latin-1")}
    sent["/name"] = b"X-\xc3\xa9: a name that may not be"

    def answer(handler: Handler) -> None:
        if handler.path == "/":
            send(handler, "<title>x</title>" + "".join(f"<a href={path}>x</a>" for path in [*odd, *sent]))
        elif handler.path in ("/link", "/name"):
            raw(handler, (b"Link: " if handler.path == "/link" else b"") + sent[handler.path])
        elif handler.path in sent:
            handler.wfile.write(b"HTTP/1.1 301 x\r\nContent-Length: 0\r\nLocation: " + sent[handler.path] + b"\r\n\r\n")
        elif handler.path in odd:
            raw(handler, odd[handler.path])
        elif handler.path in ("/gr%C3%B6%C3%9Fe", "/gr%F6%DFe"):
            send(handler, "<title>big</title><p>how big it is")
        else:
            send(handler, status=404)

    path = tmp_path / "site.warc.gz"
    with serving(answer) as server:
        summary = crawl(server.base, path)
        assert summary.ending.end == CrawlEnd.COMPLETE
        assert summary.statuses[200] == len(odd) + 4
        assert summary.failures == {"the answer is not valid HTTP": 1}
        n_asked = len(server.log)
        again = crawl(server.base, path)
        assert again.n_fetched == summary.n_fetched
        assert len(server.log) == n_asked
    found = heads(path)
    assert b"Link: " + sent["/link"] in found["/link"]
    assert b"Location: " + sent["/moved"] in found["/moved"]
    assert b"Location: " + sent["/latin"] in found["/latin"]
    for name, head in odd.items():
        kept = [line.partition(b": ")[2] for line in found[name].split(b"\r\n")]
        assert all(line.partition(b": ")[2].strip() in kept or b"Cookie" in line for line in head.split(b"\r\n"))
    pages = mardok.audit(path).pages.set_index("url")
    assert pages.loc[f"{server.base}/link", "canonical_url"] == f"{server.base}/gr%C3%B6%C3%9Fe"
    assert pages.loc[f"{server.base}/moved", "redirect_url"] == f"{server.base}/gr%C3%B6%C3%9Fe"
    assert pages.loc[f"{server.base}/latin", "redirect_url"] == f"{server.base}/gr%F6%DFe"


def test_cookies_of_a_session_are_kept_only_when_asked_for(tmp_path: Path) -> None:
    with serving(lambda handler: send(handler, "<p>words", Set_Cookie="key=secret; Path=/")) as server:
        crawl(server.base, tmp_path / "a.warc.gz")
        crawl(server.base, tmp_path / "b.warc.gz", "crawl.keep_cookies=true")
    assert b"key=; Path=/" in heads(tmp_path / "a.warc.gz")["/"]
    assert b"key=secret; Path=/" in heads(tmp_path / "b.warc.gz")["/"]


@pytest.fixture(scope="module")
def file_of_answers(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, list[int]]:
    """A crawl of twenty answers of unlike sizes, and where in the file each of them ends."""
    path = tmp_path_factory.mktemp("whole") / "site.warc.gz"
    archive = Archive(path, INFO)
    draw, ends = random.Random(1), []
    for number in range(20):
        body = draw.randbytes(draw.choice([10, 1000, 100_000]))
        archive.add(Fetched(Task(f"https://host.example/{number}", "page", 1), 200, (("Content-Type", "x/y"),), body), [])
        ends.append(path.stat().st_size)
    archive.end(CrawlEnding(CrawlEnd.COMPLETE))
    return path, ends


@settings(max_examples=150)
@given(st.floats(0, 1), st.one_of(st.none(), st.integers(0, 7)))
def test_going_on_with_a_damaged_file_destroys_nothing(
    tmp_path_factory: pytest.TempPathFactory, file_of_answers: tuple[Path, list[int]], place: float, bit: int | None
) -> None:
    folder = tmp_path_factory.mktemp("damaged")
    path, damaged = folder / "site.warc.gz", bytearray(file_of_answers[0].read_bytes())
    at = 1 + int(place * (len(damaged) - 2))
    if bit is None:
        del damaged[at:]
    else:
        damaged[at] ^= 1 << bit
    path.write_bytes(damaged)
    try:
        archive = Archive(path, INFO)
    except SourceError:
        assert path.read_bytes() == damaged, "a file that is refused was changed"
        return
    answers = list(archive.answers())
    archive.end(CrawlEnding(CrawlEnd.LIMIT))
    others = [other for other in folder.iterdir() if other != path]
    if bit is None:
        assert not others
        assert len(answers) == sum(end <= at for end in file_of_answers[1])
        assert archive.mended or at in (*file_of_answers[1], 0)
    elif others:
        assert [other.read_bytes() for other in others] == [damaged]
        assert others[0].name in archive.mended
        assert len(answers) >= 19
    else:
        assert len(answers) == 20
    whole = {f"https://host.example/{number}" for number in range(20)}
    assert {one.task.url for one in answers} <= whole


@pytest.mark.parametrize(
    "foreign",
    [
        b"a letter to somebody\n" * 100,
        gzipped(b"a letter to somebody\n" * 100)[:-9],
        gzipped(b"WARC/1.0\r\nWARC-Type: warcinfo\r\nContent-Length: 2\r\n\r\nx\n\r\n\r\n") + b"\x1f\x8b\x08half",
    ],
)
def test_a_file_of_somebody_else_is_not_touched(tmp_path: Path, foreign: bytes) -> None:
    path = tmp_path / "site.warc.gz"
    path.write_bytes(foreign)
    with pytest.raises(SourceError, match="name another file"):
        Archive(path, INFO)
    assert path.read_bytes() == foreign
    assert list(tmp_path.iterdir()) == [path]


def test_a_flipped_bit_is_told_and_what_it_cost_is_asked_for_again(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    path = tmp_path / "site.warc.gz"
    with serving(site_of_pages(15)) as server:
        first = crawl(server.base, path)
        content = bytearray(path.read_bytes())
        content[len(content) // 2] ^= 4
        path.write_bytes(content)
        server.log.clear()
        again = crawl(server.base, path)
        assert 1 <= len(server.log) <= 2
    assert again.n_html == first.n_html
    assert (tmp_path / "site.warc.gz.damaged-1").read_bytes() == content
    assert "site.warc.gz.damaged-1" in caplog.text


def site_of_pages(n_pages: int) -> Answer:
    """So many pages, each of which links to all."""

    def answer(handler: Handler) -> None:
        name = handler.path.strip("/") or "0"
        if name.isdigit() and int(name) < n_pages:
            links = "".join(f"<a href=/{number}>x</a>" for number in range(n_pages))
            send(handler, f"<title>{name}</title><p>page {name} of words {links}")
        else:
            send(handler, status=404)

    return answer


def robots_site(body: bytes, status: int = 200, **headers: str) -> Answer:
    """A page that links to an open and to a closed one, under a robots.txt."""

    def answer(handler: Handler) -> None:
        if handler.path == "/robots.txt":
            send(handler, body, status, "text/plain", **headers)
        elif handler.path in ("/", "/open", "/closed"):
            send(handler, "<p>words <a href=/open>x</a> <a href=/closed>x</a>")
        else:
            send(handler, status=404)

    return answer


CLOSING = b"User-agent: *\nDisallow: /closed\n"
FILLING = b"# nothing that counts\n" * 40_000


@pytest.mark.parametrize(
    ("body", "headers", "fetched"),
    [
        (CLOSING + FILLING, {}, {"/", "/open"}),  # of a long file the beginning counts
        (FILLING + CLOSING, {}, {"/", "/open", "/closed"}),  # and what stands behind it does not
        (gzipped(CLOSING + bytes(50_000_000)), {"Content_Encoding": "gzip"}, {"/", "/open"}),
        (gzipped(CLOSING)[:-9], {"Content_Encoding": "gzip"}, {"/", "/open"}),
        (b"no gzip at all", {"Content_Encoding": "gzip"}, set()),
        (CLOSING, {"Content_Encoding": "zoom"}, set()),
    ],
)
def test_robots_of_every_form_are_obeyed(tmp_path: Path, body: bytes, headers: dict[str, str], fetched: set[str]) -> None:
    with serving(robots_site(body, **headers)) as server:
        summary = crawl(server.base, tmp_path / "site.warc.gz")
        asked = {path for _, _, path, _ in server.log if path in ("/", "/open", "/closed")}
    assert asked == fetched
    if not fetched:
        assert summary.ending.end == CrawlEnd.STOPPED
        assert any("robots.txt could not be had" in hint for hint in summary.hints)


def test_a_robots_txt_that_fails_closes_the_site_for_now_alone(tmp_path: Path) -> None:
    state = {"status": 503}

    def answer(handler: Handler) -> None:
        robots_site(CLOSING, state["status"])(handler)

    with serving(answer) as server:
        summary = crawl(server.base, tmp_path / "site.warc.gz")
        assert [path for _, _, path, _ in server.log if path != "/robots.txt"] == []
        assert any("status 503" in hint for hint in summary.hints)
        state["status"] = 200
        again = crawl(server.base, tmp_path / "site.warc.gz")
        assert again.n_html == 2
        assert again.ending.end == CrawlEnd.COMPLETE
        assert server.count("/open") == 1
        assert server.count("/closed") == 0


def certificate(folder: Path, names: list[str], *, is_old: bool = False) -> ssl.SSLContext:
    """A certificate that nobody vouches for, in a file `cert.pem`; and what a server needs to show it."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "host")])
    now = datetime.datetime.now(datetime.UTC) - (1000 * HOUR if is_old else 0 * HOUR)
    others: list[x509.GeneralName] = [x509.DNSName(one) for one in names if not one[0].isdigit()]
    others += [x509.IPAddress(ipaddress.ip_address(one)) for one in names if one[0].isdigit()]
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - HOUR)
        .not_valid_after(now + HOUR)
        .add_extension(x509.SubjectAlternativeName(others), critical=False)
        .sign(key, hashes.SHA256())
    )
    (folder / "cert.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    (folder / "key.pem").write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(folder / "cert.pem", folder / "key.pem")
    return context


@contextmanager
def serving_safely(folder: Path, names: list[str], *, is_old: bool = False) -> Iterator[Server]:
    with serving(site_of_pages(1), tls=certificate(folder, names, is_old=is_old)) as server:
        yield server


@pytest.mark.parametrize(
    ("names", "is_old", "is_known", "reason"),
    [
        (["127.0.0.1"], False, False, "self-signed certificate"),
        (["127.0.0.1"], True, True, "certificate has expired"),
        (["other.example"], False, True, "IP address mismatch"),
        (["127.0.0.1"], False, True, ""),
    ],
)
def test_nothing_is_sent_to_a_server_with_a_bad_certificate(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, names: list[str], *, is_old: bool, is_known: bool, reason: str
) -> None:
    monkeypatch.setenv("SECRET", "user:password")
    with serving_safely(tmp_path, names, is_old=is_old) as server:
        if is_known:
            monkeypatch.setenv("SSL_CERT_FILE", str(tmp_path / "cert.pem"))
        summary = crawl(server.base, tmp_path / "site.warc.gz", credentials="env:SECRET")
        if not reason:
            assert summary.n_html == 2
            return
        assert server.log == []
        assert summary.n_html == 0
        assert any(f"certificate is not trusted ({reason}" in failure for failure in summary.failures), summary.failures
        allowed = crawl(server.base, tmp_path / "again.warc.gz", "crawl.allow_bad_certificates=127.0.0.1")
        assert allowed.n_html == 2


HARM = {
    "/nested": "<div>" * 100_000 + "<a href=/found>x</a>",
    "/attributes": "<p " + " ".join(f"a{n}" for n in range(100_000)) + "><a href=/found>x</a>",
    "/formatting": "".join(f"<p><b a={n}>" for n in range(20_000)),
    "/refresh": f"<meta http-equiv=refresh content='{' ' * 100_000}x'><p>words",
    "/links": "".join(f"<a href='https://elsewhere.example/{n}'>x</a>" for n in range(60_000)),
    "/inline": f"<img src='data:image/png;base64,{'x' * 3000}'>" * 4000,
    "/long": f"<a href='/{'x' * 1_000_000}'>x</a>",
}


def test_pages_sitemaps_and_heads_without_measure_cost_a_crawl_neither_time_nor_memory(tmp_path: Path) -> None:
    def answer(handler: Handler) -> None:
        if handler.path == "/":
            send(handler, "".join(f"<a href={path}>x</a>" for path in [*HARM, "/heads", "/line", "/storm", "/short"]))
        elif handler.path in HARM:
            send(handler, HARM[handler.path])
        elif handler.path == "/sitemap.xml":
            send(handler, "<urlset>" + "<url><loc><![CDATA[" * 50_000, kind="application/xml")
        elif handler.path == "/heads":
            handler.wfile.write(b"HTTP/1.1 200 OK\r\n")
            for number in range(400_000):
                handler.wfile.write(b"X-%d: %s\r\n" % (number, b"x" * 1000))
        elif handler.path == "/line":
            handler.wfile.write(b"HTTP/1.1 200 OK\r\nX: " + b"x" * 50_000_000 + b"\r\n\r\n")
        elif handler.path == "/storm":
            send(handler, status=429, Retry_After="9" * 400)
        elif handler.path == "/short":
            raw(handler, b"Content-Length: 9", b"<p>words and many more")
        else:
            send(handler, "<p>words", 200 if handler.path == "/found" else 404)

    out = tmp_path / "site.warc.gz"
    with serving(answer) as server:
        call = [
            sys.executable,
            "-c",
            MEASURED,
            f"{server.base}/",
            str(out),
            *FAST,
            "crawl.longest_wait_s=0.1",
            "crawl.timeout_s=5",
        ]
        done = subprocess.run(call, capture_output=True, text=True, timeout=100, check=True)
        assert server.count("/found") == 1
    told = json.loads(done.stdout)
    assert told["ending"] == ["complete", ""]
    assert sum(told["failures"].values()) == 2  # the two answers whose heads do not end
    assert told["statuses"]["429"] == 1
    assert told["mb"] < 500
    assert told["seconds"] < 30  # of one processor


MEASURED = """
import json, resource, sys, mardok
summary = mardok.crawl(sys.argv[1], out=sys.argv[2], settings=mardok.read_settings(assignments=sys.argv[3:]))
used = resource.getrusage(resource.RUSAGE_CHILDREN)
told = {**vars(summary), "path": "", "mb": used.ru_maxrss / 1024, "seconds": used.ru_utime + used.ru_stime}
print(json.dumps(told))
"""


def test_a_disk_that_is_full_ends_a_crawl_in_one_line_and_it_goes_on_when_there_is_room(tmp_path: Path) -> None:
    out = tmp_path / "site.warc.gz"
    with serving(site_of_pages(60)) as server:
        command = [sys.executable, "-m", "mardok", "crawl", f"{server.base}/", "-o", str(out)]
        command += [part for one in FAST for part in ("--set", one)]
        bounded = ["sh", "-c", 'ulimit -f 16; exec "$@"', "sh", *command]  # blocks of 512 bytes
        done = subprocess.run(bounded, capture_output=True, text=True, check=False)
        assert done.returncode == 2, done
        assert len(done.stderr.splitlines()) == 1
        assert "cannot be written" in done.stderr
        n_asked = len(server.log)
        assert subprocess.run(command, capture_output=True, text=True, check=False).returncode == 0
        assert len(server.log) < n_asked + 60  # what was kept is not asked for again
    assert len(mardok.audit(out).pages) == 61
    path = tmp_path / "full.warc.gz"
    path.symlink_to("/dev/full")
    with serving(site_of_pages(1)) as server, pytest.raises(SourceError, match="cannot be written"):
        crawl(server.base, path)
