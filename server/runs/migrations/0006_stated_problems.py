"""Problems' texts stored once, by digest."""

import hashlib

import django.db.models.deletion
from django.db import migrations, models


def share_texts(apps, schema_editor):
    """Store every text once, and let runs and answers point at it."""
    stated = apps.get_model("runs", "StatedProblem")
    for name in ("Run", "Fit"):
        for row in apps.get_model("runs", name).objects.only("pk", "problem").iterator():
            digest = hashlib.sha256(row.problem.encode()).hexdigest()
            text, _ = stated.objects.get_or_create(digest=digest, defaults={"text": row.problem})
            apps.get_model("runs", name).objects.filter(pk=row.pk).update(stated=text)


class Migration(migrations.Migration):
    """From texts in every row to texts by digest."""

    dependencies = [("runs", "0005_journeys")]

    operations = [
        migrations.CreateModel(
            name="StatedProblem",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("digest", models.CharField(max_length=64, unique=True)),
                ("text", models.TextField()),
            ],
        ),
        *(
            migrations.AddField(
                model_name=name,
                name="stated",
                field=models.ForeignKey(
                    null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to="runs.statedproblem"
                ),
            )
            for name in ("run", "fit")
        ),
        migrations.RunPython(share_texts, migrations.RunPython.noop),
    ]
