import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('accounts', '0003_sign_in_and_keys'),
    ]

    operations = [
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=20)),
                ('subject', models.CharField(blank=True, max_length=200)),
                ('part', models.PositiveIntegerField(null=True)),
                ('priority', models.SmallIntegerField(default=0)),
                ('status', models.CharField(choices=[('queued', 'Queued'), ('running', 'Running'), ('done', 'Done'), ('failed', 'Failed')], default='queued', max_length=10)),
                ('phase', models.CharField(blank=True, max_length=80)),
                ('share', models.FloatField(default=0)),
                ('message', models.TextField(blank=True)),
                ('stop_requested', models.BooleanField(default=False)),
                ('attempts', models.PositiveSmallIntegerField(default=0)),
                ('worker', models.CharField(blank=True, max_length=36)),
                ('seen_at', models.DateTimeField(null=True)),
                ('core_version', models.CharField(blank=True, max_length=40)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('finished_at', models.DateTimeField(null=True)),
                ('asked_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('parent', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='jobs.job')),
            ],
            options={
                'ordering': ('id',),
                'indexes': [models.Index(fields=['status', 'seen_at'], name='jobs_to_look_after')],
            },
        ),
    ]
