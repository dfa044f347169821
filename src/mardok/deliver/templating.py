"""Templates in which everything that pages say is escaped.

In:  the name of a template beside this module, and values.
Out: HTML.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

from mardok.sentences import counted, gain_text, percent, signed


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
    )
    environment.filters.update(percent=percent, gain=gain_text, signed=signed, **filters)
    environment.globals.update(number_of=counted)
    return environment.get_template(template).render(**values)
