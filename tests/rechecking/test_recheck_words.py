"""Words and facts after they were mended: each step is verified by its own word."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import mardok

HOST = "https://host.example"
NAMES = ("rosin", "varnish", "pegs", "bridges", "tuners", "mutes", "cases", "bows", "straps", "stands")
PRICE = "Every new hire of a violin costs {} a month in our shop."


def site(page_table: Callable[[list[dict[str, Any]]], Path], **said: str) -> mardok.Audit:
    """Ten pages with a price, a template that says a word twice, and a page with two slips of its own."""
    template = said.get("template", "We send the the parcel to {}.")
    rows = []
    for number, name in enumerate(NAMES):
        own = said.get("own", "It is a old custom , as we know.") if number == 3 else "It is a custom, as we know."
        price = said.get("price", "£38") if number == 5 else "£36"
        parts = (
            f"All about {name} and what we do with {name} in the winter.", template.format(name), own, PRICE.format(price)
        )  # fmt: skip
        body = "".join(f"<p>{part}</p>" for part in parts)
        html = f"<html lang=en><title>About {name}</title><main><h1>About {name}</h1>{body}</main>"
        rows.append({"url": f"{HOST}/{name}/", "html": html})
    return mardok.audit(page_table(rows))


def outcomes(before: mardok.Audit, after: mardok.Audit) -> dict[str, str]:
    """What became of each step about words and facts, by what is wrong."""
    steps = before.steps.set_index(["proposal", "order"])
    work = mardok.recheck(before, after).work
    told = {}
    for row in work.itertuples():
        step = steps.loc[(row.proposal, row.order)]
        if str(step["rule"]).startswith("text-"):
            told[str(step["pattern_value"] or step["rule"])] = str(row.outcome)
    return told


def test_each_word_is_verified_by_itself(page_table: Callable[[list[dict[str, Any]]], Path]) -> None:
    before = site(page_table)
    assert outcomes(before, before) == dict.fromkeys(("the the", "a old", "custom ,", "text-contradicts"), "not-done")
    mended = site(page_table, own="It is an old custom , as we know.", price="£36")
    assert outcomes(before, mended) == {
        "the the": "not-done", "a old": "done", "custom ,": "not-done", "text-contradicts": "done",
    }  # fmt: skip
    template = site(page_table, template="We send the parcel to {}.", price="£39")
    assert outcomes(before, template) == {
        "the the": "done", "a old": "not-done", "custom ,": "not-done", "text-contradicts": "otherwise",
    }  # fmt: skip
