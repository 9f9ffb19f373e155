"""Pictures of relations."""
