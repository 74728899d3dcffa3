"""The app of runs."""

from django.apps import AppConfig


class RunsConfig(AppConfig):
    """Finds the worker's tasks in ``runs.tasks``."""

    name = "runs"
