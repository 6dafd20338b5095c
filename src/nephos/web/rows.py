"""Rows that may be there once only, and results that may have to be made."""

from django.db import IntegrityError, models, transaction

from nephos.core.errors import Refused
from nephos.web.models import Result


def save_once(row: models.Model, taken: str) -> None:
    """Save a row; refused with the sentence `taken` where another one stands in its place."""
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError:
        raise Refused(taken) from None


def to_be_made(key: str) -> bool:
    """Whether a result has to be computed: it is not there, or was refused before. An earlier refusal is deleted: its
    cause may no longer apply."""
    Result.objects.filter(pk=key, facts__has_key="refused").delete()
    return not Result.objects.filter(pk=key).exists()
