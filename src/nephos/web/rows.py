"""Rows that may be there once only."""

from django.db import IntegrityError, models, transaction

from nephos.core.errors import Refused


def save_once(row: models.Model, taken: str) -> None:
    """Save a row; refused with the sentence `taken` where another one stands in its place."""
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise Refused(taken) from None
