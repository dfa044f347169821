#!/bin/sh
# Builds the source archive, and from it a wheel for each Python from 3.11 on that this machine has; runs the demo and a minute
# of tests from each, once more with the lowest versions of all libraries that pyproject.toml allows, and once installed
# where no compiler is.
set -eu
cd "$(dirname "$0")/.."
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
.venv/bin/python -m build --quiet --sdist --outdir "$made/dist" .
source=$(echo "$made"/dist/*.tar.gz)
quick="tests/findings/test_keeper.py tests/findings/test_thin.py tests/plan/test_rival_rules.py tests/plan/test_moves.py
tests/text/test_words.py tests/audits/test_tables.py tests/standards/test_urls.py"

try() { # NAME PYTHON RESOLUTION VERSION: in an environment of its own
    begun=$(date +%s)
    .venv/bin/uv venv --quiet --python "$2" "$made/$1"
    .venv/bin/uv build --quiet --wheel --python "$2" --out-dir "$made/dist-$1" "$source"
    .venv/bin/uv pip install --quiet --python "$made/$1/bin/python" --resolution "$3" "$(echo "$made/dist-$1"/*.whl)[test]"
    told=$("$made/$1/bin/mardok" --version)
    case "$told" in $4) ;; *)
        echo "$1: $told"
        exit 1
        ;;
    esac
    (cd "$made" && "$made/$1/bin/mardok" demo "$made/demo-$1" > "$made/$1.txt")
    grep -q "indexable" "$made/$1.txt"
    # Warnings of old libraries about new ones are theirs.
    # shellcheck disable=SC2086
    "$made/$1/bin/python" -m pytest -q -p no:cacheprovider -o filterwarnings=default $quick > "$made/$1.log" 2>&1 || {
        tail -30 "$made/$1.log"
        exit 1
    }
    echo "$1: $told: demo and tests from the wheel, $(($(date +%s) - begun)) s"
}

own=$(.venv/bin/python -c 'import sys; print(sys.base_prefix)')/bin/python3
try lowest "$own" lowest-direct "mardok ?.?.?"
CC=false try without-compiler "$own" highest "mardok ?.?.?, pure Python"
for version in 3.11 3.12 3.13; do
    found=
    for python in "$(command -v "python$version" || true)" "$HOME/.pyenv/versions/$version".*/bin/python3; do
        [ -n "$found" ] || ! "$python" -c 'import ssl' 2> /dev/null || found=$python
    done
    if [ -n "$found" ]; then
        compiled=$(sh tools/can_compile.sh "$found" || echo ", pure Python")
        try "$version" "$found" highest "mardok ?.?.?$compiled"
    else
        echo "$version: this machine does not have it"
    fi
done
