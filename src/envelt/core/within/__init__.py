"""What becomes of a relation within the levels of other columns."""
