"""``python -m mardok``: the command line."""

from mardok.cli import main

main()
