#!/bin/sh
# proofs.sh: the proofs that take minutes, on all cores; prints what took longest. Needs the environment of tools/setup.sh.
exec "${PYTHON:-.venv/bin/python}" -m pytest -m proof -n auto --durations=10 "$@"
