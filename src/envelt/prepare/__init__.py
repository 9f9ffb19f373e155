"""Preparations: operations fitted on training rows, applied to any later ones, kept as JSON."""
