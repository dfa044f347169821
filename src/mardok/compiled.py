"""Which functions run compiled: chosen here, for the whole library.

In:  a definition in Python, which says what is to be done, and how.
Out: its compiled form, where one was built for this machine; else the definition itself. Both give the same result.

The compiled forms are in ``mardok/_speed``. Nothing needs them: without a compiler at install, or with
``MARDOK_PURE_PYTHON=1`` in the environment, everything is done in Python.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from importlib import import_module
from importlib.util import find_spec
from typing import Any, TypeVar

_PURE = "MARDOK_PURE_PYTHON"
_Form = TypeVar("_Form", bound=Callable[..., Any])
DEFINITIONS: dict[str, tuple[Callable[..., Any], Callable[..., Any] | None]] = {}
"""Definitions by module and name, each with its compiled form if there is one."""


def compiled(module: str) -> Callable[[_Form], _Form]:
    """Put the compiled form of a function or class in its place, where there is one.

    Parameters
    ----------
    module : str
        Module of ``mardok._speed`` that has it under the same name.
    """

    def chosen(definition: _Form) -> _Form:
        form: _Form | None = getattr(_built(module), definition.__name__, None)
        DEFINITIONS[f"{module}.{definition.__name__}"] = definition, form
        return definition if form is None else form

    return chosen


def is_compiled() -> bool:
    """Whether all that has a compiled form runs in it; nothing of it is loaded for that."""
    is_asked = not os.environ.get(_PURE)
    return is_asked and all(find_spec(f"mardok._speed.{module}") is not None for module in _MODULES)


def _built(module: str) -> Any:
    if os.environ.get(_PURE):
        return None
    try:
        return import_module(f"mardok._speed.{module}")
    except ImportError:  # not built, or for another Python
        return None


_MODULES = ("addresses", "cells", "hashing", "names", "nesting", "overlaps", "packing", "pieces", "scan", "signs")
