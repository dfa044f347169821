"""Makes ``docs/screenshots``: the demo's commands in a real terminal window and its report in Chromium, at 1280x800.

Needs Debian's chromium, xvfb, xterm, imagemagick, hunspell-en-gb and hunspell-de-de.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
from web_server import serving_demo

import mardok

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
MARDOK = f"{sys.executable} -m mardok"
HOST = "https://www.wyndale-violin-hire.example"
DISPLAY = ":77"

COMMANDS = {
    "demo": "mardok demo",
    "page": "mardok page mardok-demo/audit /repairs/bow-rehair/",
    "pages": "mardok pages mardok-demo/audit --copies-of /violin-hire/aldbrunn/",
    "phrases": "mardok phrases mardok-demo/audit --under /blog/",
    "topic": "mardok topic mardok-demo/audit 'violin hire' --rivals others/rivals",
    "draft": "mardok draft mardok-demo/audit mardok-demo/drafts/*",
    "handoff": "mardok handoff mardok-demo/audit -o handoff --all",
    "pair": "mardok pair mardok-demo/audit /repairs/bow-rehair/ /bow-rehairing-service/",
    "recheck": "mardok demo later --later",
}


def terminal(name: str, command: str, folder: Path) -> None:
    """Run a command in a terminal window and take a picture of it."""
    shown = command.replace(HOST, "$site")
    script = f"printf '$ %s\\n' {shown!r}; {command.replace('mardok ', MARDOK + ' ', 1)}; touch done; sleep 60"
    window = subprocess.Popen(
        [
            "xterm", "-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", "142x46+0+0", "-bg", "#fbfaf6", "-fg", "#1d2422",
            "-e", "sh", "-c", script,
        ],
        cwd=folder, env={**os.environ, "DISPLAY": DISPLAY},
    )  # fmt: skip
    done = folder / "done"
    for _ in range(600):
        if done.exists():
            break
        time.sleep(0.1)
    time.sleep(0.5)
    subprocess.run(["import", "-window", "root", OUT / f"{name}.png"], env={**os.environ, "DISPLAY": DISPLAY}, check=True)
    done.unlink()
    window.terminate()
    window.wait()


def report(page: Page, folder: Path) -> None:
    """Take a picture of each view of the report."""
    audit = mardok.load(folder / "mardok-demo" / "audit")
    numbers = [audit.row_of(f"{HOST}/{path}/") for path in ("repairs/bow-rehair", "bow-rehairing-service")]
    merge = audit.plan.loc[audit.plan["summary"].str.startswith("Merge /blog/tuning"), "proposal"].iloc[0]
    views = {
        "": "report",
        f"plan/{merge}": "report-plan",
        "copies": "report-copies",
        "rivals": "report-rivals",
        f"page/{numbers[0]}": "report-page",
    }
    for view, name in views.items():
        page.goto("about:blank")
        page.goto(f"{(folder / 'mardok-demo' / 'audit' / 'report.html').as_uri()}#{view}")
        page.wait_for_selector("body[data-shown]")
        if view == "rivals":
            page.locator("section[data-view=rivals] figure").first.evaluate(
                "element => element.scrollIntoView({block: 'center'})"
            )
        page.screenshot(path=OUT / f"{name}.png")
    asked = mardok.read_settings(assignments=["proof.spelling=true"])
    mardok.audit(folder / "mardok-demo" / "audit", search=audit.meta.search, settings=asked).save(folder / "proofread")
    page.goto(f"{(folder / 'proofread' / 'report.html').as_uri()}#proof")
    page.wait_for_selector("body[data-shown]")
    page.screenshot(path=OUT / "report-proof.png")
    page.goto((folder / "handoff" / "letter.html").as_uri())
    page.screenshot(path=OUT / "letter.png")
    page.goto((folder / "others" / "versus" / "versus.html").as_uri())
    page.screenshot(path=OUT / "versus.png")
    page.goto((folder / "later" / "recheck" / "recheck.html").as_uri())
    page.screenshot(path=OUT / "recheck-page.png")


def main() -> None:
    """Make all pictures."""
    OUT.mkdir(parents=True, exist_ok=True)
    for old in OUT.glob("*.png"):
        old.unlink()
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    try:
        with tempfile.TemporaryDirectory() as name, sync_playwright() as playwright:
            folder = Path(name)
            subprocess.run([sys.executable, "-m", "mardok", "demo", folder / "others", "--others"], check=True, stdout=-3)
            for shot, command in COMMANDS.items():
                terminal(shot, command, folder)
            with serving_demo() as server:
                pace = "--set crawl.delay_s=0.02"
                terminal("crawl", f"mardok crawl {server.base}/ -o site.warc.gz {pace}", folder)
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
            report(browser.new_page(viewport={"width": 1280, "height": 800}), folder)
            browser.close()
    finally:
        screen.terminate()


if __name__ == "__main__":
    main()
