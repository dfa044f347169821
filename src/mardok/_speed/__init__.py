"""Compiled forms of what takes most of the time; chosen by :mod:`mardok.compiled`."""
