"""The Django application."""

from django.apps import AppConfig


class NephosConfig(AppConfig):
    """Nephos."""

    name = "nephos.web"
    label = "nephos"
