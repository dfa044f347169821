"""An audit by the workers of a cluster: here a scheduler and two workers, each a process of its own.

Run: ``python examples/on_a_cluster.py``. On several machines the same three commands run where they should, with a folder in
place of the temporary one that all of them see. Needs ``pip install 'mardok[cluster]'``.
"""

import json
import subprocess
import sys
import time
from importlib.resources import files
from pathlib import Path
from tempfile import mkdtemp

import mardok

demo, shared = files("mardok.demo"), Path(mkdtemp())
dask = [sys.executable, "-m", "dask"]
told = shared / "scheduler.json"
options = ["--no-dashboard", "--host", "127.0.0.1"]
running = [subprocess.Popen([*dask, "scheduler", "--port", "0", "--scheduler-file", str(told), *options])]
try:
    while not told.is_file():
        time.sleep(0.1)
    for _ in range(2):
        running.append(subprocess.Popen([*dask, "worker", "--scheduler-file", str(told), "--nthreads", "1", *options]))
    audit = mardok.audit(
        demo / "site.warc.gz",
        search=demo / "search.csv",
        work=shared / "work",
        cluster=json.loads(told.read_text())["address"],
        settings=mardok.read_settings(None, ["work.part_pages=30"]),
    )
finally:
    for process in reversed(running):
        process.terminate()
        process.wait()
print(f"pages: {len(audit.pages)}")
print(f"parts that were read: {len(list((shared / 'work' / 'parts').glob('reading-*.json')))}")
print(f"proposals: {len(audit.plan)}")
