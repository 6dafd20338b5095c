"""The plan as a value: its schema, its versions, and its edits."""
