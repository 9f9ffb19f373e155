"""Pictures of tables of counts."""
