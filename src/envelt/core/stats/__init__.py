"""Tests, effects and models of numbers and counts; nothing here knows a table."""
