"""One or two sentences on what each view shows, made of the numbers in its tables: one file a step."""
