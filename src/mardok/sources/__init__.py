"""Bytes in: WARC files, folders of HTML, tables, search data. Out: raw pages, and what could not be read."""
