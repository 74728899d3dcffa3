"""Texts of demand that a worker reads."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    """Adds their table."""

    dependencies = [
        ('studies', '0007_measurements_of_a_study'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='LargeText',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('attempts', models.PositiveSmallIntegerField(default=0)),
                ('worker', models.CharField(blank=True, max_length=36)),
                ('seen_at', models.DateTimeField(null=True)),
                ('asked_at', models.DateTimeField(auto_now_add=True)),
                ('format', models.CharField(max_length=20)),
                ('origin', models.CharField(blank=True, max_length=200)),
                ('content', models.BinaryField(null=True)),
                ('mapped', models.JSONField(default=dict)),
                ('takes', models.BooleanField(default=False)),
                ('remove_gone', models.BooleanField(default=False)),
                ('status', models.CharField(choices=[('queued', 'Queued'), ('running', 'Running'), ('done', 'Done'), ('failed', 'Failed')], default='queued', max_length=10)),
                ('phase', models.CharField(blank=True, max_length=40)),
                ('share', models.FloatField(default=0)),
                ('stop_requested', models.BooleanField(default=False)),
                ('message', models.CharField(blank=True, max_length=400)),
                ('faults', models.JSONField(default=list)),
                ('result', models.JSONField(null=True)),
                ('asked_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='studies.study')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
