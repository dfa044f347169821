#!/bin/sh
# proofs.sh: the proofs that take minutes or hours, on all cores; prints what took longest. Needs the environment of
# tools/setup.sh.
python=${PYTHON:-.venv/bin/python}
"$python" tools/fuzz.py --inputs "${MARDOK_FUZZ_INPUTS:-1000000}" --seed "${MARDOK_FUZZ_SEED:-1}" || exit 1
sh tools/sanitized.sh 100000 || exit 1
export MARDOK_FULL_PROOFS=1
exec "$python" -m pytest -m "proof or harm" -n auto --durations=10 "$@"
