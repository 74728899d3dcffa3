"""The app of background work."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class JobsConfig(AppConfig):
    """Finds the rescue in ``jobs.tasks``, and in every app's ``background`` the kinds of job that it knows."""

    name = "jobs"

    def ready(self) -> None:
        """Let every app register its kinds."""
        autodiscover_modules("background")
