"""Collecting a site: politely, resumably, with the raw HTML kept in a WARC file."""
