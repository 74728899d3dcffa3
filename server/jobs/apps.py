"""The app of background work."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Finds the rescue in ``jobs.tasks``."""

    name = "jobs"
