"""One crawl under several thresholds: how many pages are copies, how many pages the plan moves.

Run: ``python examples/own_thresholds.py``.
"""

from importlib.resources import files

import mardok

site = files("mardok.demo") / "site.warc.gz"
for resemblance in (0.7, 0.85, 0.95):
    settings = mardok.read_settings(assignments=[f"copies.resemblance={resemblance}", "plan.leave=/hire/sizes/*"])
    audit = mardok.audit(site, settings=settings)
    copies, moved = (audit.pages["copies"] > 0).sum(), (audit.steps["step"] == "redirect").sum()
    print(f"from {resemblance:.0%} on: {copies} pages with copies, {moved} redirects")
