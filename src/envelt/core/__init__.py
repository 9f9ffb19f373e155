"""The arithmetic: NumPy, SciPy, pandas and itself. No drawing, no terminal, no files."""
