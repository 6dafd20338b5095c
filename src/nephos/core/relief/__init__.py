"""Built-up reliefs: pieces composed to one surface."""
