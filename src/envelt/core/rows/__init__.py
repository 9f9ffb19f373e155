"""Rows that were asked for, and where they lie among all."""
