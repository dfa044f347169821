"""The figures of an audit as pictures, and its notebook views as HTML.

Run: ``python examples/figures_for_a_talk.py``. Writes four pictures and a page into a new folder and says where.
"""

from importlib.resources import files
from pathlib import Path
from tempfile import mkdtemp

import mardok

demo = files("mardok.demo")
audit = mardok.audit(demo / "site.warc.gz", search=demo / "search.csv")
out = Path(mkdtemp())

rivals = audit.groups[(audit.groups["kind"] == "rivals") & (audit.groups["evidence"] == "search")]
query = audit.tables["positions"]["query"].iloc[0]
drawn = {
    "gain": mardok.figures.gain_against_effort(audit.tables),
    "words": mardok.figures.words_by_section(audit.tables),
    "resemblance": mardok.figures.resemblance_distribution(audit.tables, threshold=0.85),
    "positions": mardok.figures.positions_over_time(audit.tables, query),
}
for name, axes in drawn.items():
    axes.figure.savefig(out / f"{name}.png", dpi=150)

# A notebook shows these by themselves, when they stand at the end of a cell.
group = audit.group(rivals["group"].iloc[0])
pair = audit.pair(*group.pages["url"].iloc[:2])
shown = "".join(thing._repr_html_() for thing in (audit, group, pair))
(out / "views.html").write_text(f"<!doctype html><meta charset=utf-8>{shown}", "utf-8")
print(*sorted(out.iterdir()), sep="\n")
