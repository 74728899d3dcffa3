"""The app of sweeps."""

from django.apps import AppConfig


class SweepsConfig(AppConfig):
    """Its kind of job stands in ``sweeps.background``."""

    name = "sweeps"
