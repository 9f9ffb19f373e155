"""Which columns say the same thing."""
