"""Pictures of a candidate against the outcome."""
