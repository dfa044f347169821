"""From the bytes that crossed the network to the bytes of the document.

In:  an HTTP message body with its headers.
Out: the body without transfer coding (RFC 9112, section 7) and content coding (RFC 9110, section 8.4).

Headers in crawls are often false: many collectors store the decoded body under the headers of the encoded one. A coding
is therefore taken off only where the bytes show it, and what comes out is bounded, since a few bytes may unfold to
gigabytes.
"""

from __future__ import annotations

import re
import zlib

import brotli

_CHUNK_SIZE = re.compile(rb"[ \t]*([0-9a-fA-F]{1,15})[ \t]*(?:;[^\r\n]*)?\r?\n")


def header_text(sent: bytes) -> str:
    """The text of a header, from which :func:`header_bytes` gives the bytes that were sent: UTF-8, or whatever they are."""
    return sent.decode("utf-8", "surrogateescape")


def header_bytes(text: str) -> bytes:
    """A header in the bytes it was sent in."""
    return text.encode("utf-8", "surrogateescape")


class BodyError(Exception):
    """A body that cannot be decoded; the text says why."""


def without_chunks(body: bytes) -> tuple[bytes, bool]:
    """The body without chunked transfer coding, and whether it was whole; a body that shows no chunks is as it is."""
    parts: list[bytes] = []
    at, any_chunk = 0, False
    while size_line := _CHUNK_SIZE.match(body, at):
        size = int(size_line[1], 16)
        any_chunk = True
        if size == 0:
            return b"".join(parts), True
        start = size_line.end()
        parts.append(body[start : start + size])
        if start + size > len(body):
            return b"".join(parts), False
        at = start + size
        at += 2 if body[at : at + 2] == b"\r\n" else 1 if body[at : at + 1] == b"\n" else 0
    return (b"".join(parts), False) if any_chunk else (body, True)


def decoded(body: bytes, content_encoding: str, limit: int) -> bytes:
    """The body without its content codings, at most `limit` bytes.

    Parameters
    ----------
    content_encoding : str
        Value of the header, codings in the order they were applied.
    limit : int
        Most bytes of the decoded body.

    Raises
    ------
    BodyError
        If the body grows beyond `limit`, is damaged, or has a coding that cannot be read.
    """
    for coding in reversed([name.strip().lower() for name in content_encoding.split(",")]):
        if coding in ("", "identity") or _looks_like_html(body):
            continue
        if coding in ("gzip", "x-gzip", "deflate"):
            body = _inflated(body, limit)
        elif coding == "br":
            body = _unbrotlied(body, limit)
        else:
            raise BodyError(f"content coding {coding!r} cannot be read")
    if len(body) > limit:
        raise BodyError(f"body is larger than {limit / 1e6:g} MB (setting sources.max_body_mb)")
    return body


def decoded_beginning(body: bytes, content_encoding: str, most: int) -> bytes:
    """The first bytes of a body without its content codings, of one that breaks off or goes on beyond them, too.

    Parameters
    ----------
    content_encoding : str
        Value of the header, codings in the order they were applied.
    most : int
        Most bytes that are wanted.

    Raises
    ------
    BodyError
        If not a byte of it can be read.
    """
    for coding in reversed([name.strip().lower() for name in content_encoding.split(",")]):
        if coding in ("gzip", "x-gzip", "deflate"):
            unpacked = max((_begun(zlib.decompressobj(bits), body, most) for bits in (47, -15)), key=len)
        elif coding == "br":
            unpacked = bytes(_unbrotlied_pieces(body, most)[0])
        elif coding in ("", "identity"):
            continue
        else:
            raise BodyError(f"content coding {coding!r} cannot be read")
        if body and not unpacked:
            raise BodyError("compressed body is damaged")
        body = unpacked
    return body[:most]


def _begun(unpacker: zlib._Decompress, body: bytes, most: int) -> bytes:
    out = bytearray()
    try:
        for at in range(0, len(body), 1 << 10):  # in pieces, since what stands before damage is lost with a whole
            out += unpacker.decompress(body[at : at + (1 << 10)], most - len(out) + 1)
            if len(out) > most:
                break
    except zlib.error:
        pass
    return bytes(out)


def _looks_like_html(body: bytes) -> bool:
    return body.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"


def _inflated(body: bytes, limit: int) -> bytes:
    # RFC 9110 calls zlib's format "deflate", yet some servers send it bare: window bits 47 reads gzip and zlib, -15 bare.
    for window_bits in (47, -15):
        unpacker = zlib.decompressobj(window_bits)
        try:
            out = unpacker.decompress(body, limit + 1)
        except zlib.error:
            continue
        if not unpacker.eof and len(out) <= limit:
            raise BodyError("compressed body breaks off")
        return out
    raise BodyError("compressed body is damaged")


def _unbrotlied(body: bytes, limit: int) -> bytes:
    out, trouble = _unbrotlied_pieces(body, limit)
    if trouble:
        raise BodyError(trouble)
    return bytes(out)


def _unbrotlied_pieces(body: bytes, limit: int) -> tuple[bytearray, str]:
    """What unfolds, up to a little more than `limit` bytes, and what is wrong with it."""
    unpacker = brotli.Decompressor()
    out = bytearray()
    try:
        piece = unpacker.process(body, output_buffer_limit=1 << 20)
        out += piece
        while not unpacker.is_finished() and len(out) <= limit and (piece or not unpacker.can_accept_more_data()):
            piece = unpacker.process(b"", output_buffer_limit=1 << 20)
            out += piece
    except brotli.error:
        return out, "compressed body is damaged"
    return out, "" if unpacker.is_finished() or len(out) > limit else "compressed body breaks off"
