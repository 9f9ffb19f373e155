"""Pictures of distributions."""
