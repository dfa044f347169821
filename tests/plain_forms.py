"""Does parts of a test with the definitions in Python, where the library has taken their compiled forms."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any

from mardok.compiled import DEFINITIONS
from mardok.extract import html
from mardok.extract.template_cache import TemplateCache


@contextmanager
def plain_forms() -> Iterator[None]:
    """Inside, no compiled form is used, and nothing is known of what was read before."""
    places = _places(len(sys.modules))
    before = html._KNOWN, html._MEMORY
    html._KNOWN, html._MEMORY = TemplateCache(), html._Memory()
    for module, name, definition, _ in places:
        setattr(module, name, definition)
    try:
        yield
    finally:
        html._KNOWN, html._MEMORY = before
        for module, name, _, form in places:
            setattr(module, name, form)


@cache
def _places(n_modules: int) -> list[tuple[Any, str, Any, Any]]:  # noqa: ARG001 - what is loaded later uses forms, too
    """Where compiled forms are used: module, name, definition, form."""
    definitions = {id(form): definition for definition, form in DEFINITIONS.values() if form is not None}
    return [
        (module, name, definitions[id(value)], value)
        for key, module in sorted(sys.modules.items())
        if key.startswith("mardok.") and not key.startswith("mardok._speed")
        for name, value in vars(module).items()
        if id(value) in definitions
    ]
