"""Columns: as read, as encoded, and as groups, outcomes and axes of tables."""
