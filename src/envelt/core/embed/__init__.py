"""Maps of many columns in two dimensions, and how far they can be trusted."""
