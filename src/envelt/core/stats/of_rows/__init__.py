"""The textbook's tests and intervals where each row is a case; other rooms ask `stats`, which asks for a `Sampling`."""
