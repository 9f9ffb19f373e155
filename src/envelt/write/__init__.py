"""Writing results: numbers as people read them, terminal text, HTML, Markdown, CSV and JSON."""
