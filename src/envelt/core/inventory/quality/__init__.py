"""What is wrong or odd about a table, as findings with evidence; one topic a file."""
