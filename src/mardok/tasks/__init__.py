"""Stages of an audit as work on parts: each from files to files, wherever it is done."""
