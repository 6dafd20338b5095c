"""The queues of work, and how many tasks of each a worker does at one time."""

QUEUES: tuple[tuple[str, int], ...] = (("calculate", 1), ("mesh", 2))
"""One calculation at a time takes both cores; reading and drawing go on beside it."""
