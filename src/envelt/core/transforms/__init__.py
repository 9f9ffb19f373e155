"""Transforms of a number: what each does to its shape and to its relation with the outcome, and which is worth it."""
