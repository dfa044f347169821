"""Sites beside each other: every measure and interval against a slow computation; what is chance; what is not compared."""

from __future__ import annotations

import json
import random
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

import mardok
from mardok.audits import Audit
from mardok.beside.chance import DRAWS, SEED, chance, interval
from mardok.beside.measures import Asked, Observed
from mardok.meta import AuditMeta
from mardok.store import MemoryStore
from mardok.tables import CHECK_ROWS, PAGES
from mardok.vocabulary import Chance, SiteMeasure

TROUBLE_OF = {
    "titles": ("title-",),
    "descriptions": ("description-",),
    "headings": ("h1-", "h2-", "heading-"),
    "broken-links": ("link-broken",),
    "redirected-links": ("link-redirected",),
    "alt-texts": ("image-alt-missing",),
    "orphans": ("page-orphan",),
}
CHECKS = ("title-long", "title-missing", "description-short", "h1-several", "link-broken", "image-alt-missing")
META = mardok.Settings()
EMPTY = {"str": "", "name": "", "bool": False, "int32": 0, "int64": 0, "Int64": pd.NA, "float64": float("nan")}

Page = dict[str, Any]
Trouble = tuple[str, str, bool]


def made_audit(
    pages: Sequence[Page],
    troubles: Sequence[Trouble] = (),
    *,
    whole: bool = True,
    not_computed: dict[str, str] | None = None,
    **settings: str,
) -> Audit:
    """An audit of which only what is compared is told."""
    rows = [
        tuple({**{one.name: EMPTY[one.dtype] for one in PAGES.columns}, **page}[name] for name in PAGES.names)
        for page in pages
    ]
    checks = [(url, check, is_template, "", "", 1, "") for url, check, is_template in troubles]
    crawl = {"whole": whole, "gaps": [] if whole else ["3 linked addresses were not read"], "last_day": "2030-05-01"}
    totals: dict[str, Any] = dict.fromkeys(mardok.meta.TOTALS, 0) | {"pages": len(pages), "crawl": crawl, "search": None}
    chosen = mardok.read_settings(assignments=[f"{key.replace('__', '.')}={value}" for key, value in settings.items()])
    meta = AuditMeta(
        mardok="1", made="2030-05-02", settings=chosen, skipped={}, not_computed=not_computed or {}, totals=totals
    )  # fmt: skip
    return Audit(MemoryStore({"pages": PAGES.frame(rows), "checks": CHECK_ROWS.frame(checks)}), meta)


def random_pages(host: str, draw: random.Random, n: int = 80) -> tuple[list[Page], list[Trouble]]:
    """Pages in a few sections, each with troubles of its own."""
    pages: list[Page] = []
    troubles: list[Trouble] = []
    rate = {section: draw.random() for section in ("", "blog/", "shop/", "help/", "de/", "news/")}
    for at in range(n):
        section = draw.choice(list(rate))
        url = f"https://{host}/{section}{at}"
        gone = draw.random() < 0.1
        words = draw.randint(5, 400)
        own = draw.randint(0, words)
        shared = draw.randint(0, words - own)
        pages.append(
            {
                "url": url, "indexable": not gone and draw.random() < 0.9, "noindex_reason": "status" if gone else "",
                "variant_of": pages[0]["url"] if pages and draw.random() < 0.05 else "",
                "language": draw.choice(["en", "en", "de"]),
                "kind": draw.choice(["article", "product", "listing"]), "depth": draw.choice([pd.NA, 0, 1, 2, 3, 4]),
                "words": words, "own_words": own, "shared_words": shared, "boilerplate_words": words - own - shared,
                "copies": int(draw.random() < rate[section] / 2), "thin": draw.choice(["yes", "no", "no", ""]),
            }
        )  # fmt: skip
        troubles += [(url, check, False) for check in CHECKS if draw.random() < rate[section] / 2]
    return pages, troubles


def section_of(url: str) -> str:
    return "/".join(url.split("/")[3:-1])


def slow_parts(row: pd.Series, pages: Sequence[Page], troubles: Sequence[Trouble]) -> list[tuple[str, float, float]]:
    """For each page that is asked about its section, what is counted and what that is a share of."""
    found = []
    for page in pages:
        counted = page["indexable"] and not page["variant_of"]
        measure, of = row["measure"], row["of"]
        if measure == "indexable":
            if page["noindex_reason"] != "status":
                found.append((page, float(page["indexable"]), 1.0))
        elif not counted or (of and measure in ("thin", "words") and page["kind"] != of):
            continue
        elif measure in ("own-words", "shared-words", "boilerplate-words"):
            total = page["own_words"] + page["shared_words"] + page["boilerplate_words"]
            found.append((page, float(page[measure.replace("-", "_")]), float(total)))
        elif measure == "thin":
            if page["thin"]:
                found.append((page, float(page["thin"] == "yes"), 1.0))
        elif measure in ("words", "depth"):
            if page[measure] is not pd.NA:
                found.append((page, float(page[measure]), 1.0))
        elif measure == "copied":
            found.append((page, float(page["copies"] > 0), 1.0))
        elif measure == "language":
            found.append((page, float(page["language"] == of), 1.0))
        else:
            has = any(url == page["url"] and check.startswith(TROUBLE_OF[measure]) for url, check, _ in troubles)
            found.append((page, float(has), 1.0))
    return [(section_of(page["url"]), part, whole) for page, part, whole in found]


def slow_interval(parts: Sequence[tuple[str, float, float]]) -> tuple[float, float]:
    """What the middle 95% of sites give that are put together from sections drawn again, one by one."""
    names = sorted({section for section, _, _ in parts})
    times = np.random.default_rng(SEED).multinomial(len(names), np.full(len(names), 1 / len(names)), size=DRAWS)
    of_section = {name: [one[1:] for one in parts if one[0] == name] for name in names}
    sums = {name: [sum(figures) for figures in zip(*own, strict=True)] for name, own in of_section.items()}
    values = []
    for drawn in times.tolist():
        part, whole = (sum(n * sums[name][at] for name, n in zip(names, drawn, strict=True)) for at in (0, 1))
        values.append(part / whole)
    return float(np.quantile(values, 0.025)), float(np.quantile(values, 0.975))


def test_each_measure_and_its_interval_are_those_of_a_slow_computation() -> None:
    draw = random.Random(5)
    sites = [random_pages(host, draw, 40) for host in ("ours.example", "theirs.example")]
    told = mardok.versus([made_audit(pages, troubles, whole=False) for pages, troubles in sites]).table
    whole = mardok.versus([made_audit(pages, troubles) for pages, troubles in sites]).table
    assert set(told["measure"]) == set(SiteMeasure)
    for _, row in whole.iterrows():
        parts = slow_parts(row, *sites[row["number"] - 1])
        if row["measure"] in ("words", "depth"):
            values = [part for _, part, _ in parts]
            expected = [float(np.quantile(values, share)) for share in (0.5, 0.25, 0.75)]
            assert [row["value"], row["quarter_low"], row["quarter_high"]] == pytest.approx(expected)
        else:
            assert row["value"] == pytest.approx(sum(part for _, part, _ in parts) / sum(whole for _, _, whole in parts))
    checked = told[~told["measure"].isin(["words", "depth", "orphans"])]
    assert len(checked) >= 26
    for _, row in checked.iterrows():
        assert (row["low"], row["high"]) == pytest.approx(slow_interval(slow_parts(row, *sites[row["number"] - 1])))
    assert whole["low"].isna().all()
    assert (whole["chance"] == "").all()


def test_the_interval_of_a_median_is_where_the_share_below_it_leaves_off() -> None:
    draw = random.Random(8)
    section = np.array([draw.randrange(7) for _ in range(150)])
    words = np.array([draw.randrange(20, 400) + 60 * at for at in section], float)
    low, high = interval(Observed(Asked(SiteMeasure.WORDS), words, np.ones(150)), section)
    middle = float(np.quantile(words, 0.5))
    below = [(str(at), float(word <= middle), 1.0) for at, word in zip(section.tolist(), words.tolist(), strict=True)]
    ends, share = slow_interval(below), float((words <= middle).mean())
    expected = [float(np.quantile(words, 0.5 - (end - share))) for end in ends[::-1]]
    assert [low, high] == pytest.approx(expected)
    assert low < middle < high


@pytest.mark.parametrize("is_median", [False, True])
@pytest.mark.parametrize("n_templates", [0, 4])
def test_of_shuffles_of_sections_nearly_all_show_no_difference(n_templates: int, is_median: bool) -> None:
    draw = random.Random(11)
    sections = []
    for at in range(24):
        rate = (
            float(at % n_templates == 0) if n_templates else draw.random()
        )  # a template makes a trouble everywhere or nowhere
        size = draw.randint(3, 60)
        sections.append(
            [draw.gauss(200 + 200 * rate, 40) if is_median else float(draw.random() < rate) for _ in range(size)]
        )
    asked = Asked(SiteMeasure.WORDS if is_median else SiteMeasure.TITLES)
    said = []
    for _ in range(400):
        draw.shuffle(sections)
        sides = []
        for part in (sections[:12], sections[12:]):
            values = np.array([value for pages in part for value in pages])
            numbers = np.repeat(np.arange(12), [len(pages) for pages in part])
            sides += [Observed(asked, values, np.ones(len(values))), numbers]
        said.append(chance(*sides))  # type: ignore[arg-type]
    assert 0.92 <= said.count(Chance.WITHIN) / 400 <= 0.98


def test_a_difference_of_all_sections_is_more_than_chance_and_of_few_sections_nobody_can_tell() -> None:
    def site(n_sections: int, rate: float) -> tuple[Observed, Any]:
        section = np.repeat(np.arange(n_sections), 20)
        part = (np.arange(len(section)) % 20 < 20 * rate).astype(float)
        return Observed(Asked(SiteMeasure.TITLES), part, np.ones(len(part))), section

    assert chance(*site(8, 0.2), *site(8, 0.6)) == Chance.MORE
    assert chance(*site(8, 0.4), *site(8, 0.4)) == Chance.WITHIN
    assert chance(*site(2, 0.2), *site(2, 0.6)) == Chance.TOO_FEW


def simple(host: str, n: int = 40, sections: Sequence[str] = ("a", "b", "c", "d")) -> list[Page]:
    return [
        {"url": f"https://{host}/{sections[at % len(sections)]}/{at}", "indexable": True,
         "kind": "product" if at % 2 else "article", "language": "en", "words": 100, "own_words": 60,
         "shared_words": 20, "boilerplate_words": 20, "thin": "no"}
        for at in range(n)
    ]  # fmt: skip


def row_of(compared: mardok.ComparedSites, measure: str, site: int = 1, of: str = "") -> pd.Series:
    table = compared.table
    return table[(table["measure"] == measure) & (table["number"] == site) & (table["of"] == of)].iloc[0]


def test_the_template_that_makes_most_of_a_measure_is_named_with_the_value_without_it() -> None:
    pages = simple("ours.example")
    troubles = [(page["url"], "image-alt-missing", True) for page in pages if page["kind"] == "product"]
    troubles.append((pages[0]["url"], "image-alt-missing", False))
    compared = mardok.versus([made_audit(pages, troubles), made_audit(simple("theirs.example"))])
    row = row_of(compared, "alt-texts")
    assert (row["value"], row["cause_kind"], row["cause"]) == (
        21 / 40,
        "template",
        "image-alt-missing in the template of product pages",
    )
    assert (row["cause_share"], row["without_cause"]) == pytest.approx((20 / 21, 1 / 40))
    assert set(compared.pages.loc[compared.pages["measure"] == "alt-texts", "url"]) == {url for url, _, _ in troubles}


def test_the_section_that_makes_most_of_a_measure_is_named_and_a_trouble_that_is_everywhere_has_no_cause() -> None:
    pages = simple("ours.example")
    in_one = [(page["url"], "title-long", False) for page in pages if "/b/" in page["url"]]
    everywhere = [(page["url"], "description-short", False) for page in pages]
    compared = mardok.versus([made_audit(pages, [*in_one, *everywhere]), made_audit(simple("theirs.example"))])
    row = row_of(compared, "titles")
    assert (row["cause"], row["cause_share"], row["without_cause"]) == ("/b/", 1.0, 0.0)
    assert row_of(compared, "descriptions")["cause"] == ""
    adjusted = mardok.versus(
        [made_audit(pages, [*in_one, *everywhere]), made_audit(simple("theirs.example"))], without_section=["/b/"]
    )
    assert row_of(adjusted, "titles")["adjusted"] == 0.0
    adjusted = mardok.versus(
        [made_audit(pages, [*in_one, *everywhere]), made_audit(simple("theirs.example"))], without=["description-short"]
    )
    assert [row_of(adjusted, name)["adjusted"] for name in ("titles", "descriptions")] == [0.25, 0.0]


def test_what_cannot_be_compared_is_said_and_what_cannot_be_known_is_left_out() -> None:
    ours, theirs = made_audit(simple("ours.example")), simple("theirs.example")
    rendered = {str(mardok.sentences.sentence("not-computed.what.script-words")): "x"}
    notes = {
        "settings": made_audit(theirs, checks__title_px="400"),
        "part": made_audit(theirs, whole=False),
        "language": made_audit([{**page, "language": "de"} for page in theirs]),
        "rendered": made_audit(theirs, not_computed=rendered),
    }
    told = {name: mardok.versus([ours, audit]) for name, audit in notes.items()}
    assert not row_of(told["settings"], "titles", 2)["comparable"]
    assert "title_px" in row_of(told["settings"], "titles", 2)["note"]
    assert row_of(told["settings"], "indexable", 2)["comparable"]
    assert not row_of(told["part"], "copied", 2)["comparable"]
    assert row_of(told["part"], "headings", 2)["comparable"]
    assert row_of(told["part"], "headings", 2)["chance"] == "within-chance"
    assert np.isnan(row_of(told["part"], "orphans", 2)["value"])
    assert "whole site" in row_of(told["part"], "orphans", 2)["note"]
    assert not row_of(told["language"], "words", 2)["comparable"]
    assert row_of(told["language"], "titles", 2)["comparable"]
    assert not told["rendered"].table.loc[told["rendered"].table["number"] == 2, "comparable"].any()


def test_a_site_short_of_a_few_addresses_counts_as_whole_and_nearly_all_pages_are_no_cause() -> None:
    pages = simple("ours.example", 100)
    troubles = [(page["url"], "title-long", False) for page in pages if "/a/" not in page["url"]]
    ours = made_audit(pages)
    few = ours.meta.model_copy(update={"totals": {**ours.meta.totals, "crawl": crawl(1)}})
    many = ours.meta.model_copy(update={"totals": {**ours.meta.totals, "crawl": crawl(50)}})
    told = [mardok.versus([Audit(ours.tables, few), Audit(ours.tables, meta)]) for meta in (few, many)]
    assert [row_of(one, "titles", 2)["chance"] for one in told] == ["", "within-chance"]
    assert [one.sites[1].is_whole for one in told] == [True, False]
    whole = mardok.versus([made_audit(pages, troubles), made_audit(pages, troubles)])
    assert row_of(whole, "titles")["cause"] == ""  # three sections of four have it alike
    kinds = [{**page, "kind": "article", "copies": 1} for page in pages]
    assert row_of(mardok.versus([made_audit(kinds), made_audit(kinds)]), "copied")["cause"] == ""


def crawl(n_unread: int) -> dict[str, Any]:
    return {"whole": False, "gaps": ["some were not read"], "unread_targets": n_unread, "last_day": ""}


def test_a_comparison_is_saved_read_and_refused_in_one_line(tmp_path: Path) -> None:
    hostile = [{**page, "kind": "article"} for page in simple("a<script>alert(1)</script>.example", 6)]
    compared = mardok.versus([made_audit(simple("ours.example")), made_audit(hostile)])
    compared.save(tmp_path / "versus")
    page = (tmp_path / "versus" / "versus.html").read_text("utf-8")
    assert "<script" not in page
    assert json.loads((tmp_path / "versus" / "versus.json").read_text("utf-8"))["sites"][0]["name"] == "ours.example"
    read = pd.read_csv(tmp_path / "versus" / "versus.csv")
    assert len(read) == len(compared.table)
    with pytest.raises(mardok.SelectionError, match="two audits at least"):
        mardok.versus([made_audit(simple("ours.example"))])
    with pytest.raises(mardok.SelectionError, match="near it are title-long"):
        mardok.versus([made_audit(hostile)] * 2, without=["title-lon"])
    with pytest.raises(mardok.SelectionError, match="no page of any of the sites is under /x/"):
        mardok.versus([made_audit(hostile)] * 2, without_section=["/x/"])
