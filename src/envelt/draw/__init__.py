"""Pictures, one a file; the house style is in `style`."""
