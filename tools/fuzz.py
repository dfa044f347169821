"""Drives every reader of foreign bytes with inputs that nobody would write.

    python tools/fuzz.py [--inputs N] [--seed S] [--jobs N] [TARGET ...]
    python tools/fuzz.py --replay             the inputs that are kept in tests/corpus
    python tools/fuzz.py --guided TARGET      led by what the code does (needs atheris), until it is stopped

Each input is made from bytes by a grammar of its target, so that random bytes, hypothesis and atheris drive the same one. An
input fails if it raises what is not Mardok's own, takes a second of one processor, or 500 MB. One that fails is written to
tests/corpus/TARGET/, where the tests read it from then on, and is made smaller first.
"""

from __future__ import annotations

import argparse
import hashlib
import multiprocessing
import multiprocessing.connection
import os
import random
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import Any

import mardok.cells
import mardok.compare.kept_pairs  # all that has a compiled form is loaded
import mardok.proofing.pieces
from mardok.errors import MardokError
from mardok.extract.extraction import extract_page
from mardok.extract.html import read_document
from mardok.extract.language import language_of
from mardok.settings import Crawl, Extract, Settings, read_settings
from mardok.sources.body import BodyError, decoded, decoded_beginning, header_text, without_chunks
from mardok.sources.crawl.archive import SCOPE_FIELD, Archive
from mardok.sources.crawl.discovery import leads_of
from mardok.sources.crawl.fetched import Fetched, Task
from mardok.sources.crawl.robots import Robots
from mardok.sources.crawl.scope import scope_of
from mardok.sources.crawl.state import CrawlState
from mardok.sources.decisions import read_decisions
from mardok.sources.limits import Nesting, is_surely_flat, within_limits
from mardok.sources.page_lists import read_signals, read_targets
from mardok.sources.raw import OpenIntake, RawPage
from mardok.sources.search_data import read_search
from mardok.sources.sitemaps import sitemap_of
from mardok.sources.table import read_page_table
from mardok.sources.warc import read_warc
from mardok.urls import normal_url, resolved_url

CORPUS = Path(__file__).parents[1] / "tests" / "corpus"
sys.path.append(str(CORPUS.parent))
from plain_forms import plain_forms  # noqa: E402 - a module of the tests

SECONDS, MEGABYTES = 1.0, 500
MOST_BYTES = 4096
HOST = "https://host.example"
_FOLDER = Path(tempfile.gettempdir()) / f"mardok-fuzz-{os.getpid()}"


def _pieces(text: str, separator: str = " ") -> list[str]:
    return text.split(separator)


TAGS = _pieces(
    "a b i em font nobr p div span ul li table tr td th select option svg math script style title textarea template h1 h2 "
    "nav header footer main iframe plaintext noscript form button img br base meta link frameset dialog aside ol dl dd z"
)
WORDS = _pieces(
    "x violin hire &amp; &lt; &#0; &nbsp &#xD800; \u0130 \u202e \u200b \0 \x1b[31m =1+1 ' \" < > <!-- --> <![CDATA[ ]]> <? "
    "\u00e9 \U0001f3bb % \\ / ; , : = \r \n . - _ ( [ { 0 9 1e999 NaN true \ud800"
)
ATTRIBUTES = _pieces(
    "href src rel=canonical rel=alternate hreflang=de class=nav id=x hidden style=display:none alt content name=robots "
    "http-equiv=refresh type=application/ld+json lang=en title value role=navigation charset=utf-16 aria-hidden=true"
)
HEADERS = _pieces(
    "Content-Type Link Location Refresh X-Robots-Tag Content-Encoding Content-Language Set-Cookie Transfer-Encoding Vary"
)
VALUES = _pieces(
    'text/html|text/html; charset=utf-16|gzip|br|deflate, gzip|chunked|noindex|googlebot: none|<a>; rel="canonical"|'
    "</\u00e9>; rel=alternate; hreflang=x|0; url=/a|/gr\u00f6\u00dfe|//x|http://[|application/xml|en|k=v; Path=/",
    "|",
)
HEADINGS = _pieces(
    "url title text html status query page clicks impressions position date phrase proposal decision keeper action note "
    "external_links conversions"
)
OF_SITEMAPS = _pieces("<urlset> <sitemapindex> <url> <loc> </loc> </url> <sitemap> <![CDATA[ ]]> /a")
OF_ROBOTS = ["User-agent: ", "Disallow: ", "Allow: ", "Crawl-delay: ", "Sitemap: ", "*", "$", "/", "mardok", "\n", "\r"]
OF_SETTINGS = _pieces('[ ] = \n . copies crawl search columns resemblance text ignore " 1 { } inf nan')
OF_ADDRESSES = _pieces("http: https: // / .. . ? # @ : % %2e [ ] \\ xn-- host")


_LONG = 500


class Choices:
    """Decisions taken from bytes; when these are used up, the first of all choices is taken."""

    def __init__(self, data: bytes) -> None:
        self._data, self._at = data, 0
        # A long document would nearly always hold something repeated very often, and take so long that few are tried.
        self._most = 700 if len(data) > _LONG and data[-1] % 8 else 20_000

    def number(self, most: int) -> int:
        """A number from 0 up to, and without, `most`."""
        if self._at >= len(self._data):
            return 0
        self._at += 1
        value = self._data[self._at - 1]
        if most > 256 and self._at < len(self._data):
            self._at += 1
            value = value << 8 | self._data[self._at - 1]
        return value % most

    def of(self, words: Sequence[str]) -> str:
        """One of several."""
        return words[self.number(len(words))]

    def is_over(self) -> bool:
        """Whether nothing is left to decide by."""
        return self._at >= len(self._data)

    def rest(self) -> bytes:
        """All that is left, as it is."""
        rest, self._at = self._data[self._at :], len(self._data)
        return rest

    def times(self) -> int:
        """How often to repeat: mostly once, now and then very often, as who means harm does."""
        kind = self.number(150)
        return 1 if kind > 2 else (7, 700, self._most)[kind]


def markup(choices: Choices) -> str:
    """A document."""
    parts: list[str] = []
    while not choices.is_over() and sum(map(len, parts)) < 1_000_000:
        kind = choices.number(8)
        if kind < 3:
            attributes = "".join(
                f" {choices.of(ATTRIBUTES)}{('', '=', '=' + chr(34))[choices.number(3)]}{choices.of(WORDS)}"
                for _ in range(choices.number(4))
            )
            piece = f"<{choices.of(TAGS)}{attributes}{('>', '/>', '', ' ')[choices.number(4) if kind == 2 else 0]}"
        elif kind == 3:
            piece = f"</{choices.of(TAGS)}>"
        elif kind == 4:
            piece = " ".join(choices.of(WORDS) for _ in range(choices.number(9)))
        else:
            piece = choices.of(WORDS)
        parts.append(piece * choices.times())
    return "".join(parts)


def headers(choices: Choices) -> tuple[tuple[str, str], ...]:
    """Headers of an answer, of any bytes."""
    told = (
        (choices.of(HEADERS), choices.of(VALUES) * choices.times() + choices.of(WORDS)) for _ in range(choices.number(5))
    )
    return tuple((name, header_text(value.encode("utf-8", "surrogatepass"))) for name, value in told)


def page(data: bytes) -> None:
    """A page is read, and read the same when it is read again."""
    choices = Choices(data)
    told = tuple((name.lower(), value) for name, value in headers(choices))
    text = markup(choices)
    raw = RawPage(f"{HOST}/x", "fuzz", 200, told, text.encode("utf-8", "surrogatepass"))
    extract_page(raw, SETTINGS)
    short = within_limits(text, SETTINGS.extract)[0][:20_000]
    first = read_document(short, f"{HOST}/x")
    if read_document(short, f"{HOST}/x") != first or read_document(short, f"{HOST}/x") != first:
        raise AssertionError("a page is read otherwise when it is read again")


def forms(data: bytes) -> None:
    """What is compiled does as its definition says."""
    choices = Choices(data)
    text = markup(choices)[:50_000]
    limits = SETTINGS.extract.model_copy(update={"max_depth": 1 + choices.number(20)})
    read = partial(read_document, text, f"{HOST}/a/b?c")
    document, addresses, within = read(), [resolved_url(piece, f"{HOST}/a/b/c?d") for piece in text.split()], []
    pieces = [told.tolist() for told in mardok.proofing.pieces.PieceTable().cut(text.splitlines())]
    columns: list[list[object]] = [text.split("\n"), [float(len(line)) / 3 for line in text.split("\n")]]
    cells = mardok.cells.csv_rows(columns, [None, 2])
    for most_formatting in (0, 4):
        within.append(is_surely_flat(text, limits.max_depth, most_formatting, 4000, 20_000_000))
    with plain_forms():
        if read() != document:
            raise AssertionError("a page is read otherwise by what is compiled")
        if [mardok.urls.resolved_url(piece, f"{HOST}/a/b/c?d") for piece in text.split()] != addresses:
            raise AssertionError("an address is resolved otherwise by what is compiled")
        if [told.tolist() for told in mardok.proofing.pieces.PieceTable().cut(text.splitlines())] != pieces:
            raise AssertionError("pieces are numbered otherwise by what is compiled")
        if mardok.cells.csv_rows(columns, [None, 2]) != cells:
            raise AssertionError("cells are written otherwise by what is compiled")
    for is_flat, most_formatting in zip(within, (0, 4), strict=True):
        past: list[str] = []
        if is_flat and (Nesting(limits, past, spares_formatting=most_formatting > 0).flattened(text) != text or past):
            raise AssertionError("a document is called flat that is not")


def answer(data: bytes) -> None:
    """An answer is kept, given back as it was, and followed."""
    choices = Choices(data)
    told = headers(choices)
    kind = choices.of(["page", "sitemap", "robots", "image", "probe"])
    status = (200, 301, 404, 429, 500, 999)[choices.number(6)]
    body = markup(choices).encode("utf-8", "surrogatepass")
    fetched = Fetched(Task(f"{HOST}/{kind}", kind, choices.number(3)), status, told, body)
    path = _file("answer.warc.gz", b"")
    archive = Archive(path, {SCOPE_FIELD: "fuzz"})
    try:
        archive.add(fetched, [])
        kept = list(archive.answers())
    finally:
        archive.close()
    if len(kept) != 1 or kept[0].body != body or kept[0].status != status:
        raise AssertionError("an answer is not given back as it was kept")
    state = CrawlState([f"{HOST}/"], [], scope_of([f"{HOST}/"], Crawl()), Extract())
    state.learn(fetched)
    leads_of(fetched, 1 << 24, Extract())
    list(read_warc(path, OpenIntake(), 1 << 24))


def warc(data: bytes) -> None:
    """A WARC file with its bytes changed."""
    content = bytearray(WARC)
    choices = Choices(data)
    while not choices.is_over():
        at, kind = choices.number(1 << 16) % max(len(content), 1), choices.number(4)
        if kind == 0:
            content[at] = choices.number(256)
        elif kind == 1:
            del content[at : at + choices.number(64)]
        elif kind == 2:
            content[at:at] = choices.of(WORDS).encode("utf-8", "replace") * choices.number(9)
        else:
            content[at:at] = content[at : at + choices.number(256)]
    list(read_warc(_file("fuzz.warc", bytes(content) or b"x"), OpenIntake(), 1 << 24))


def sitemap(data: bytes) -> None:
    """A sitemap, and a robots.txt."""
    choices = Choices(data)
    tags = [*OF_SITEMAPS, *WORDS]
    text = choices.of(["<urlset>", "", "<sitemapindex>"]) + "".join(
        choices.of(tags) * choices.times() for _ in range(choices.number(200))
    )
    sitemap_of(text.encode("utf-8", "replace"), f"{HOST}/sitemap.xml")


def robots(data: bytes) -> None:
    """A robots.txt."""
    choices = Choices(data)
    lines = [*OF_ROBOTS, *WORDS]
    text = "".join(choices.of(lines) * choices.times() for _ in range(choices.number(250)))
    known = Robots()
    known.address_to_ask(HOST)
    known.learn(Fetched(Task(f"{HOST}/robots.txt", "robots", 0), 200, headers(choices), text.encode("utf-8", "replace")))
    known.allows(f"{HOST}/{'a' * 300}?b=c")
    known.delay_s(f"{HOST}/")
    known.sitemaps(HOST)


def table(data: bytes) -> None:
    """Tables of pages, search data, targets, signals and decisions."""
    choices = Choices(data)
    suffix = choices.of([".csv", ".jsonl", ".CSV"])
    cells = [f"{HOST}/", "1", "10", "2030-01-01", "accept", *WORDS]
    if suffix == ".jsonl":
        pieces = ["{", "}", "[", "]", '"', ":", ",", "null", "1e999", "\\u", '"url"', f'"{HOST}/"', "\n", *WORDS]
        text = "".join(choices.of(pieces) * choices.times() for _ in range(choices.number(300)))
    else:
        separator = choices.of([",", ";", "\t"])
        width = 1 + choices.number(8)
        rows = [separator.join(choices.of(HEADINGS) for _ in range(width))]
        while not choices.is_over() and len(rows) < 40:
            rows.append(separator.join(choices.of(cells) * choices.times() for _ in range(width)))
        text = choices.of(["\n", "\r\n", "\r"]).join(rows)
    path = _file(f"fuzz{suffix}", text.encode("utf-8", "replace"))
    for read in (
        lambda: list(read_page_table(path, OpenIntake())),
        lambda: read_search([path], SETTINGS.search, OpenIntake()),
        lambda: read_targets(path, OpenIntake()),
        lambda: read_signals(path, OpenIntake()),
        lambda: read_decisions(path, OpenIntake()),
    ):
        try:
            read()
        except MardokError:
            continue


def settings(data: bytes) -> None:
    """A settings file, and assignments."""
    choices = Choices(data)
    pieces = [*OF_SETTINGS, *WORDS]
    text = "".join(choices.of(pieces) * choices.times() for _ in range(choices.number(100)))
    path = _file("fuzz.toml", text.encode("utf-8", "replace"))
    for read in (lambda: read_settings(path), lambda: read_settings(assignments=text.split("\n"))):
        try:
            read()
        except MardokError:
            continue


def address(data: bytes) -> None:
    """Addresses and bodies."""
    choices = Choices(data)
    pieces = [*OF_ADDRESSES, *WORDS]
    text = "".join(choices.of(pieces) * choices.times() for _ in range(choices.number(40)))
    one = normal_url(text, f"{HOST}/a/b?c")
    if one is not None and normal_url(one) != one:
        raise AssertionError("an address in its one form has another")
    resolved_url(text, f"{HOST}/a/b?c")
    body = choices.rest()
    without_chunks(body)
    for coding in ("gzip", "br", "deflate", "gzip, br"):
        for read in (decoded, decoded_beginning):
            try:
                read(body, coding, 1 << 20)
            except BodyError:
                continue


def _file(name: str, content: bytes) -> Path:
    _FOLDER.mkdir(exist_ok=True)
    path = _FOLDER / f"{os.getpid()}-{name}"
    path.write_bytes(content)
    return path


def _small_warc() -> bytes:
    path = _file("whole.warc.gz", b"")
    archive = Archive(path, {SCOPE_FIELD: "fuzz"})
    html = (("Content-Type", "text/html"),)
    for number in range(3):
        archive.add(Fetched(Task(f"{HOST}/{number}", "page", 0), 200, html, b"<title>x</title><p>words" * 5), [])
    archive.close()
    import gzip

    return gzip.decompress(path.read_bytes())


SETTINGS = Settings()
language_of(
    "violins are hired by the month and bows are mended " * 20, "", SETTINGS.language
)  # once for all processes: it reads its model
WARC = b""
TARGETS: dict[str, Callable[[bytes], None]] = {
    one.__name__: one for one in (page, forms, answer, warc, sitemap, robots, table, settings, address)
}


def trouble_of(target: str, data: bytes) -> str:
    """What is wrong with an input, tried in a process of its own; nothing if nothing is."""
    receiver, sender = multiprocessing.get_context("fork").Pipe(duplex=False)
    process = multiprocessing.get_context("fork").Process(target=_tried, args=(target, [data], sender))
    process.start()
    sender.close()
    told = ""
    try:
        while (message := receiver.recv()) is not None:
            told = message[1]
            if told:
                break
    except EOFError:
        process.join()
        told = f"ended by signal {-(process.exitcode or 0)}: {SECONDS:g} s of a processor" * bool(process.exitcode)
    process.join()
    return told


def _tried(target: str, inputs: Sequence[bytes], sender: multiprocessing.connection.Connection) -> None:
    """Try inputs one after the other, and tell of each how far one got."""
    run = TARGETS[target]
    signal.signal(signal.SIGPROF, signal.SIG_DFL)
    for number, data in enumerate(inputs):
        before = _peak_megabytes()
        signal.setitimer(signal.ITIMER_PROF, SECONDS)
        told = ""
        try:
            run(data)
        except MardokError:
            pass
        except Exception as error:  # noqa: BLE001 - that is what is looked for
            told = f"{type(error).__name__}: {str(error)[:200]}"
        signal.setitimer(signal.ITIMER_PROF, 0)
        if _peak_megabytes() - before > MEGABYTES:
            told = told or f"{_peak_megabytes() - before:.0f} MB"
        sender.send((number, told))
    sender.send(None)


def _peak_megabytes() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def run_many(target: str, seed: int, n_inputs: int) -> list[tuple[bytes, str]]:
    """Inputs that fail, of so many."""
    failed: list[tuple[bytes, str]] = []
    draw = random.Random(f"{target} {seed}")
    done = 0
    while done < n_inputs:
        batch = [draw.randbytes(draw.choice([8, 40, 200, 1000, MOST_BYTES])) for _ in range(min(200, n_inputs - done))]
        at = 0
        while at < len(batch):
            receiver, sender = multiprocessing.get_context("fork").Pipe(duplex=False)
            process = multiprocessing.get_context("fork").Process(target=_tried, args=(target, batch[at:], sender))
            process.start()
            sender.close()
            reached = -1
            try:
                while (message := receiver.recv()) is not None:
                    reached, told = message
                    if told:
                        failed.append((batch[at + reached], told))
                at = len(batch)
            except EOFError:
                process.join()
                failed.append((batch[at + reached + 1], f"ended by signal {-(process.exitcode or 0)}"))
                at += reached + 2
            process.join()
        done += len(batch)
    return failed


def smaller(target: str, data: bytes, tries: int = 300) -> bytes:
    """A smaller input that fails, too: pieces are left out as long as it does."""
    size = max(1, len(data) // 2)
    while size and tries:
        at = 0
        while at < len(data) and tries:
            tries -= 1
            shorter = data[:at] + data[at + size :]
            if trouble_of(target, shorter):
                data = shorter
            else:
                at += size
        size //= 2
    return data


GUIDED = """
import sys
import atheris
with atheris.instrument_imports(include=["mardok"]):
    import fuzz
fuzz.led(atheris, *sys.argv[1:])
"""


def guided(target: str) -> None:
    """Let atheris lead, until it is stopped or finds something; it has to see the code while that is loaded."""
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(Path(__file__).parent), *filter(None, sys.path)])}
    sys.exit(subprocess.run([sys.executable, "-c", GUIDED, target], env=environment, check=False).returncode)


def led(atheris: Any, target: str) -> None:
    """Run a target in the process that atheris leads."""

    def run(data: bytes) -> None:
        with suppress(MardokError):
            TARGETS[target](data)

    folder = CORPUS / target
    folder.mkdir(parents=True, exist_ok=True)
    limits = ["-timeout=2", f"-rss_limit_mb={MEGABYTES + 1000}", f"-max_len={MOST_BYTES}"]
    with tempfile.TemporaryDirectory() as found:  # what it meets on its way is not kept
        atheris.Setup([sys.argv[0], found, str(folder), f"-artifact_prefix={folder}/", *limits], run)
        atheris.Fuzz()


def kept_inputs() -> list[tuple[str, Path]]:
    """The inputs that are kept."""
    return [(path.parent.name, path) for path in sorted(CORPUS.glob("*/*")) if path.parent.name in TARGETS]


def main() -> None:
    """Run the command."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("targets", nargs="*", default=list(TARGETS), metavar="TARGET", help=", ".join(TARGETS))
    parser.add_argument("--inputs", type=int, default=20_000, help="inputs in all")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--seconds", type=float, default=SECONDS, help="of one processor that an input may take")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    parser.add_argument("--replay", action="store_true", help="only the inputs that are kept")
    parser.add_argument("--guided", action="store_true", help="let atheris lead")
    asked = parser.parse_args()
    globals()["SECONDS"] = asked.seconds  # what is forked inherits it
    if asked.guided:
        guided(asked.targets[0])
        return
    if asked.replay:
        kept = [(target, path) for target, path in kept_inputs() if target in asked.targets]
        troubles = [(target, path, trouble_of(target, path.read_bytes())) for target, path in kept]
        say(*(f"{target} {path.name}: {told or 'fine'}" for target, path, told in troubles))
        sys.exit(any(told for *_, told in troubles))
    is_bad = False
    for target in asked.targets:
        begun = time.monotonic()
        share = asked.inputs // len(asked.targets) // asked.jobs + 1
        seeds = [asked.seed * 1000 + part for part in range(asked.jobs)]
        with ThreadPoolExecutor(asked.jobs) as threads:  # each waits for processes of its own
            found = list(threads.map(partial(run_many, target, n_inputs=share), seeds))
        failed = [one for part in found for one in part]
        say(f"{target}: {share * asked.jobs:,} inputs, {len(failed)} failed, {time.monotonic() - begun:.0f} s")
        for told in sorted({told.partition(":")[0] for _, told in failed}):
            data = smaller(target, next(data for data, one in failed if one.startswith(told)))
            path = CORPUS / target / hashlib.sha256(data).hexdigest()[:16]
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
            say(f"  {trouble_of(target, data) or told}: {path}")
            is_bad = True
    sys.exit(is_bad)


def say(*lines: str) -> None:
    """Print lines at once."""
    sys.stdout.writelines(f"{line}\n" for line in lines)
    sys.stdout.flush()


WARC = _small_warc()
if __name__ == "__main__":
    main()
