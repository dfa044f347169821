"""What it costs to start Mardok and to ask a stored audit: CPU seconds and memory of whole processes.

Run: ``python benchmarks/start_up.py [AUDIT FOLDER]``; without a folder only what needs none. All figures are of one run, the
least of several turns, and as multiples of a process that imports pandas and scipy.sparse and ends.
"""

from __future__ import annotations

import os
import subprocess
import sys

from timing import TURNS

_MIB = 1024
"""KiB in a MiB."""
_BASE = [sys.executable, "-c", "import pandas, scipy.sparse"]


def cost(command: list[str]) -> tuple[float, float]:
    """CPU seconds of a process, the least of several turns, and the most MiB it held."""
    seconds, memory = [], []
    for _ in range(TURNS):
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        _, _, used = os.wait4(process.pid, 0)
        process.returncode = 0  # waited for already
        seconds.append(used.ru_utime + used.ru_stime)
        memory.append(used.ru_maxrss / _MIB)
    return min(seconds), max(memory)


_ASKED = """
import sys, mardok
audit = mardok.load(sys.argv[1])
pairs, urls = audit.tables["pairs"], audit.pages["url"]
print(urls[len(urls) // 2], *pairs[["url_a", "url_b"]].iloc[len(pairs) // 2])
"""


def questions(folder: str) -> dict[str, list[str]]:
    """Command lines that ask an audit, about pages from its middle."""
    # In a process of its own: what a process holds is counted for those it begins, too.
    asked = subprocess.run([sys.executable, "-c", _ASKED, folder], capture_output=True, text=True, check=True)
    page, a, b = asked.stdout.split()
    command = [sys.executable, "-m", "mardok"]
    return {
        "mardok page": [*command, "page", folder, page],
        "mardok pair": [*command, "pair", folder, a, b],
        "mardok phrases": [*command, "phrases", folder],
    }


def main(folder: str) -> None:
    """Measure and print."""
    base, base_memory = cost(_BASE)
    print(f"import pandas, scipy.sparse: {base:.2f} s of CPU, {base_memory:.0f} MiB")
    commands = {
        "import mardok": [sys.executable, "-c", "import mardok"],
        "mardok --version": [sys.executable, "-m", "mardok", "--version"],
        "mardok --help": [sys.executable, "-m", "mardok", "--help"],
        "a usage error": [sys.executable, "-m", "mardok", "audit", "--nothing"],
        **(questions(folder) if folder else {}),
    }
    for name, command in commands.items():
        seconds, memory = cost(command)
        print(f"{name}: {seconds:.2f} s, {seconds / base:.2f} of the base, {memory:.0f} MiB")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "")
