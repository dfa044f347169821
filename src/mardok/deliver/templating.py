"""Templates in which everything that pages say is escaped.

In:  the name of a template beside this module, and values.
Out: HTML.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable
from importlib.resources import files
from types import CodeType
from typing import Any

from jinja2 import BytecodeCache, Environment, PackageLoader, StrictUndefined
from jinja2.bccache import Bucket
from markupsafe import Markup

from mardok.sentences import counted, gain_text, percent, signed


class _Compiled(BytecodeCache):
    """What templates were compiled to, which takes longer than to fill one in."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, str], CodeType] = {}

    def load_bytecode(self, bucket: Bucket) -> None:
        bucket.code = self._known.get((bucket.key, bucket.checksum))

    def dump_bytecode(self, bucket: Bucket) -> None:
        if bucket.code is not None:
            self._known[bucket.key, bucket.checksum] = bucket.code


_compiled = _Compiled()


def rendered(template: str, filters: dict[str, Callable[..., Any]], values: dict[str, Any]) -> str:
    """A template filled in; a value that it names and does not get is an error.

    Parameters
    ----------
    template : str
        Name of a file in ``templates/``.
    filters : dict of str to callable
        What the template may call by a bar.
    values : dict
        What it may name; all of it is escaped.
    """
    environment = Environment(
        loader=PackageLoader("mardok.deliver"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        bytecode_cache=_compiled,
    )
    environment.filters.update(percent=percent, gain=gain_text, signed=signed, **filters)
    environment.globals.update(number_of=counted)
    return environment.get_template(template).render(**values)


def content_hash(text: str) -> str:
    """What a content security policy calls an inline script or style by."""
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"


def page_style(name: str) -> dict[str, str]:
    """What a template needs of its style, which is that of the report with one of its own: the style, and its hash.

    Parameters
    ----------
    name : str
        Name of the style sheet in ``templates/``.
    """
    folder = files("mardok.deliver") / "templates"
    style = "".join(path.read_text("utf-8") for path in (folder / "report" / "report.css", folder / name))
    return {"style": Markup(style), "style_hash": content_hash(style)}
