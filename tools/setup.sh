#!/bin/sh
# Makes the virtual environment .venv with Mardok in it. Usage: sh tools/setup.sh [EXTRA]
# Debian ships Python without the module that makes environments; its package is installed here where it is missing. So is,
# for EXTRA dev alone, a C compiler for the compiled part, which nothing needs.
set -eu
cd "$(dirname "$0")/.."
python=${PYTHON:-python3}
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || {
    echo "setup.sh: needs Python 3.11 or newer; name one with PYTHON=python3.12 sh tools/setup.sh" >&2
    exit 2
}
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    as_root=$([ "$(id -u)" = 0 ] || echo sudo)
    $as_root apt-get update -q >&2
    $as_root apt-get install -y -q python3-venv >&2
fi
if [ "${1:-}" = dev ] && ! sh tools/can_compile.sh "$python"; then
    as_root=$([ "$(id -u)" = 0 ] || echo sudo)
    $as_root apt-get update -q >&2
    $as_root apt-get install -y -q --no-install-recommends gcc libc6-dev python3-dev >&2
fi
[ -x .venv/bin/python ] || "$python" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check --editable ".${1:+[$1]}"
