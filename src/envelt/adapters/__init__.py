"""One file for each optional package; each gives a plain function to the core, or nothing where it is not there."""
