"""A page that is planned or written and not yet published, against an audit."""
