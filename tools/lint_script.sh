#!/bin/sh
# Lints the script of the report. The files share one scope in a report, so they are put together first.
set -eu
cd "$(dirname "$0")/.."
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
cp eslint.config.js "$made/eslint.config.mjs"
.venv/bin/python -c "from mardok.deliver.report import own_script; print(own_script(), end='')" > "$made/report.js"
ln -s "$PWD/node_modules" "$made/node_modules"
cd "$made" && node_modules/.bin/eslint --max-warnings 0 report.js
