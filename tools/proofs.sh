#!/bin/sh
# proofs.sh: the proofs that take minutes, on all cores; prints what took longest. Needs the environment of tools/setup.sh.
export MARDOK_FULL_PROOFS=1
exec "${PYTHON:-.venv/bin/python}" -m pytest -m "proof or broken_off" -n auto --durations=10 "$@"
