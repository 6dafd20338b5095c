"""report.json."""
