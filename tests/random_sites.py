"""Small sites of random pages, for properties that hold on any site."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from hypothesis import strategies as st

HOST = "https://www.host.example"
HOME = "https?://[^/]+/(index.html)?"
ADDRESSES = [
    f"{HOST}/", "http://www.host.example/", "https://host.example/", f"{HOST}/index.html", f"{HOST}/a/", f"{HOST}/a",
    f"{HOST}/A/", f"{HOST}/a/?utm_source=x", f"{HOST}/a/?id=1", f"{HOST}/b/", "http://host.example/b/", f"{HOST}/print/b/",
    f"{HOST}/town/ost/", f"{HOST}/town/west/", f"{HOST}/town/nord/", f"{HOST}/list/?page=2", f"{HOST}/de/a/",
]  # fmt: skip
BASE = " ".join(f"word{n}" for n in range(60))
TEXTS = [BASE, BASE + " one more", BASE.replace("word30", "other"), BASE + " Ost Ost", BASE + " West West", "short text", ""]
TITLES = ["Hire in Ost", "Hire in West", "Hire in Nord", "Bows", ""]

PAGE = st.fixed_dictionaries(
    {
        "text": st.sampled_from(TEXTS),
        "title": st.sampled_from(TITLES),
        "status": st.sampled_from([200, 200, 200, 200, 301, 404]),
        "target": st.sampled_from(ADDRESSES),
        "canonical": st.sampled_from([None, None, None, *ADDRESSES]),
        "robots": st.sampled_from(["", "", "", "noindex"]),
        "lang": st.sampled_from(["en", "en", "en", "de"]),
        "links": st.lists(st.sampled_from(ADDRESSES), max_size=3),
    }
)
SITES = st.dictionaries(st.sampled_from(ADDRESSES), PAGE, min_size=2)


def html_of(page: dict[str, Any]) -> str:
    canonical = f"<link rel=canonical href='{page['canonical']}'>" if page["canonical"] else ""
    links = "".join(f"<a href='{url}'>to {url[-4:]}</a> " for url in page["links"])
    return (
        f"<html lang={page['lang']}><head><title>{page['title']}</title>{canonical}"
        f"<meta name=robots content='{page['robots']}'></head><body><nav>{links}</nav><p>{page['text']}</p>"
    )


def write_site(path: Path, pages: dict[str, dict[str, Any]]) -> Path:
    rows = []
    for url, page in pages.items():
        is_redirect = page["status"] == 301
        rows.append({"url": url, "status": page["status"], "html": "" if is_redirect else html_of(page)})
        rows[-1]["redirect_url"] = page["target"] if is_redirect else ""
    path.write_text("".join(json.dumps(row) + "\n" for row in rows), "utf-8")
    return path
