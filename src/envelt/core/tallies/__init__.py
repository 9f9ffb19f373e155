"""Mergeable summaries: counts, crossed counts and moments.

A tally has ``add(batch, weight)``, ``merge(other)`` and ``finish()``. Splitting the rows in any way and
merging in any order gives the same answer (to rounding). The weight is a frequency: a row of weight 3
counts as three equal rows.
"""
