"""Files out: the report."""
