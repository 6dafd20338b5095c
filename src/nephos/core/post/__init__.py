"""Posts: from toolpaths to program text, and back by an independent reader."""
