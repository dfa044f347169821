#!/bin/sh
# Drives the compiled part with inputs that nobody would write, built so that it stops at the first byte it reads or writes
# outside of its own, and at the first step that C does not define. Usage: sh tools/sanitized.sh [INPUTS]
set -eu
cd "$(dirname "$0")/.."
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
.venv/bin/python -m build --quiet --sdist --outdir "$made" .
CFLAGS="-g -O1 -fsanitize=address,undefined -fno-sanitize-recover=undefined" LDFLAGS="-fsanitize=address,undefined" \
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --target "$made/lib" "$made"/*.tar.gz
export PYTHONPATH="$made/lib" ASAN_OPTIONS=detect_leaks=0:quarantine_size_mb=16
LD_PRELOAD="$(gcc -print-file-name=libasan.so) $(gcc -print-file-name=libubsan.so)"
export LD_PRELOAD
.venv/bin/python -c 'import mardok.compiled as c, os, sys; sys.exit(not c.is_compiled() or os.environ["PYTHONPATH"] not in c.__file__)'
.venv/bin/python tools/fuzz.py --inputs "${1:-20000}" --seconds 20 forms
