"""Imports all that child processes of a worker need, in the server that they are forked from."""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "nephos.web.settings")

import django

django.setup()

import nephos.command.sample  # noqa: E402  Django must be set up first
import nephos.web.tasks  # noqa: E402, F401
