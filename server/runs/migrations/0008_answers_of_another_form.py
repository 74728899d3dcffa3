"""Take out answers whose form has changed: designs that did not nest, sizes without a rule for nodes, points without their fit."""

from django.db import migrations

CHANGED = ("levels", "sizing", "frontier")


def take_out(apps, schema_editor):
    """Delete them; each can be asked again."""
    apps.get_model("runs", "Inquiry").objects.filter(question__in=CHANGED).delete()


class Migration(migrations.Migration):
    """After the common fields of work."""

    dependencies = [("runs", "0007_work")]
    operations = [migrations.RunPython(take_out, migrations.RunPython.noop)]
