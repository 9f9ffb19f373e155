"""A candidate against the outcome, or all of them at a glance."""
