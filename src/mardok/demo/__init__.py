"""The made-up site: Wyndale Violin Hire, an invented firm in invented towns, with every trouble an auditor meets.

In:  the authored texts in ``content``.
Out: ``site.warc.gz`` and ``search.csv`` beside this file, made by ``python -m mardok.demo.build``.
"""
