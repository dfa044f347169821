"""A crawl with search data: the plan, and the pages behind its first merge.

Run: ``python examples/from_warc.py site.warc.gz search.csv`` (without arguments: the made-up site).
"""

import sys
from importlib.resources import files

import mardok

site, search = sys.argv[1:] or [files("mardok.demo") / "site.warc.gz", files("mardok.demo") / "search.csv"]
audit = mardok.audit(site, search=search)
for row in audit.plan.head(10).itertuples():
    print(f"{row.rank:3} {row.action:8} {row.gain_low:+6.1f} to {row.gain_high:+6.1f} {row.gain_unit:12} {row.summary}")

first = audit.plan[audit.plan["action"] == "merge"].iloc[0]
moved = audit.steps[(audit.steps["proposal"] == first["proposal"]) & (audit.steps["step"] == "redirect")]
for url in moved["url"]:
    print(f"\n{url} beside {first['keeper']}:")
    for run in audit.pair(first["keeper"], url).runs:
        if not run.is_same:
            print("  -", " ".join(run.a), "+", " ".join(run.b))
