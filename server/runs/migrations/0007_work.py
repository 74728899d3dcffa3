"""Texts of problems stay where they are stored once; who computes a row; answers that go with their run."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    """Apart from the copying of texts, since a table with checks still to be made cannot be altered."""

    dependencies = [("runs", "0006_stated_problems")]

    operations = [
        *(
            migrations.AlterField(
                model_name=name,
                name="stated",
                field=models.ForeignKey(
                    on_delete=django.db.models.deletion.PROTECT, related_name="+", to="runs.statedproblem"
                ),
            )
            for name in ("run", "fit")
        ),
        migrations.RemoveField(model_name="run", name="problem"),
        migrations.RemoveField(model_name="fit", name="problem"),
        migrations.AlterField(
            model_name="fit",
            name="run",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="fits", to="runs.run"
            ),
        ),
        *(
            migrations.AddField(model_name=name, name=field, field=kind)
            for name in ("run", "inquiry")
            for field, kind in (
                ("worker", models.CharField(blank=True, max_length=36)),
                ("seen_at", models.DateTimeField(null=True)),
            )
        ),
    ]
