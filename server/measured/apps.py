"""The app's configuration."""

from django.apps import AppConfig


class MeasuredConfig(AppConfig):
    """Finds the worker's tasks."""

    name = "measured"
    default_auto_field = "django.db.models.BigAutoField"
