"""Reading tables: files and data frames into columns as they are, before they are encoded."""
