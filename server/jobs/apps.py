"""The app of background work."""

from django.apps import AppConfig, apps
from django.db.models.signals import post_delete
from django.utils.module_loading import autodiscover_modules


class JobsConfig(AppConfig):
    """Finds the rescue in ``jobs.tasks``, and in every app's ``background`` the kinds of job that it knows."""

    name = "jobs"

    def ready(self) -> None:
        """Let every app register its kinds, let jobs go with the rows that they compute, and look at how long statements take."""
        from config.slow import watch
        from jobs.models import Worked, forget_job
        from jobs.versions import code_version

        watch()
        # Now, before anybody changes the files of what runs already.
        code_version()
        autodiscover_modules("background")
        for model in apps.get_models():
            if issubclass(model, Worked):  # To listen to all tables would have Django read every row it deletes.
                post_delete.connect(forget_job, sender=model)
