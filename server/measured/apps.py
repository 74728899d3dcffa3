"""The app's configuration."""

from django.apps import AppConfig


class MeasuredConfig(AppConfig):
    """Its kind of job stands in ``measured.background``."""

    name = "measured"
    default_auto_field = "django.db.models.BigAutoField"
