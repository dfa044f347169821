"""One audit against a later one: steps verified, findings compared, the effect measured.

In:  the audit whose plan was to be carried out, and later audits of the same site.
Out: for each step what became of it, for each finding whether it is gone, and what the work brought.
"""
