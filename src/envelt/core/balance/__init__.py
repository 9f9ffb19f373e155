"""How the outcome is spread."""
