"""What each column is, and what is wrong or odd about it."""
