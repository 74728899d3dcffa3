"""The app of price lists."""

from django.apps import AppConfig


class CatalogueConfig(AppConfig):
    """Finds the worker's tasks in ``catalogue.tasks``."""

    name = "catalogue"
