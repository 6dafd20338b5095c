"""Errors that are told to people, in one plain sentence."""


class Refused(ValueError):
    """Input that cannot be used. The message says what is wrong and what to do about it."""


class Cancelled(Exception):
    """Raised between two bands of work when the person asked to stop."""
