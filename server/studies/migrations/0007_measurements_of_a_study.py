"""Measurements belong to the study that uses them."""

from django.db import migrations


def bind(apps, schema_editor):
    """Tell every set of measurements which study it was read for, as far as one uses it."""
    sets = apps.get_model("measured", "UsageSet")
    for key, usage in apps.get_model("studies", "Study").objects.exclude(usage=None).values_list("pk", "usage_id"):
        sets.objects.filter(pk=usage).update(study_id=key)


class Migration(migrations.Migration):
    """Fills what the measurements' own migration made room for."""

    dependencies = [("studies", "0006_availability"), ("measured", "0002_work")]

    operations = [migrations.RunPython(bind, migrations.RunPython.noop)]
