"""The app of builds."""

from django.apps import AppConfig


class BuildsConfig(AppConfig):
    """Its kind of job stands in ``builds.background``."""

    name = "builds"
