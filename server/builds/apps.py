"""Loads the kind of background work that follows a build."""

from django.apps import AppConfig


class BuildsConfig(AppConfig):
    """Registers the kind when Django starts."""

    name = "builds"

    def ready(self) -> None:
        """Load it."""
        from builds import background  # noqa: F401
