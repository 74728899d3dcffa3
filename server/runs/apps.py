"""The app of runs."""

from django.apps import AppConfig


class RunsConfig(AppConfig):
    """Its kinds of job stand in ``runs.background`` and ``runs.questions``."""

    name = "runs"
