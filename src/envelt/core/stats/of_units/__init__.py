"""The same where rows come in units; other rooms ask `stats`, which asks for a `Sampling`."""
