from django.db import migrations, models
from django.db.models import F

from jobs.moving import with_jobs

OUTCOMES = [('ready', 'Ready'), ('partial', 'Partial'), ('failed', 'Failed'), ('taken', 'Taken'), ('discarded', 'Discarded')]


def outcomes(apps, _):
    """Keep what came of every reading; one under way has none."""
    apps.get_model('catalogue', 'Reading').objects.exclude(status__in=['queued', 'running']).update(outcome=F('status'))


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0001_job'),
        ('catalogue', '0002_work'),
    ]

    operations = [
        migrations.AddField('Reading', 'outcome', models.CharField(blank=True, choices=OUTCOMES, max_length=10)),
        migrations.RunPython(outcomes, migrations.RunPython.noop),
        migrations.RemoveConstraint('Reading', 'one_reading_at_a_time'),
        *with_jobs('catalogue', 'Reading', 'reading', asker='created_by', started='created_at', gone=['finished_at']),
        migrations.AddConstraint(
            'Reading', models.UniqueConstraint(condition=models.Q(outcome=''), fields=('provider',), name='one_reading_at_a_time')
        ),
    ]
