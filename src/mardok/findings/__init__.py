"""What the comparisons mean: groups and their keepers, pages that promise different things, checks."""
