"""Errors shown to the user, each in one plain sentence."""


class Refused(ValueError):
    """Input that cannot be used. The message says what is wrong and what to do about it."""


class NotYet(Refused):
    """Refused for now: the cause can go away, as when a mesh is still being read. Never kept as a result."""


class NothingToCut(Refused):
    """Refused because an operation would cut nothing where it may go. In one tile of several that is no error."""


class Cancelled(Exception):
    """Raised between two bands of work when the person asked to stop."""
