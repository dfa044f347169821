"""Audits beside each other, and one phrase on the pages of several sites.

The folder is not named after its functions: ``mardok.versus`` and ``mardok.topic`` are functions, and modules of these names
would hide them.
"""
