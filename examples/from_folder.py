"""A folder of HTML, as a site generator leaves it: audited, saved, asked again from the folder.

Run: ``python examples/from_folder.py``.
"""

import tempfile
from pathlib import Path

import mardok

PAGE = "<html lang=en><title>{title} | The Bench</title><h1>{title}</h1><p>{text}</p><a href=/pegs.html>pegs</a>"
CARE = "Wipe the strings after each piece, loosen the bow, and keep the violin away from the radiator in winter. " * 3

with tempfile.TemporaryDirectory() as name:
    public = Path(name) / "public"
    public.mkdir()
    for file, title, text in (
        ("care.html", "Care of a violin", CARE),
        ("care-2.html", "Care of a violin", CARE + "And in summer, too."),
        ("pegs.html", "Pegs that slip", "A peg that slips touches the hole on one side only; paste helps for a week."),
    ):
        (public / file).write_text(PAGE.format(title=title, text=text), "utf-8")
    mardok.audit(public, base="https://www.bench.example/").save(Path(name) / "audit")

    audit = mardok.load(Path(name) / "audit")
    print(audit.pages[["url", "kind", "words", "own_words", "nearest_resemblance"]].to_string(index=False))
    print(mardok.phrases(audit).head(5).to_string(index=False))
