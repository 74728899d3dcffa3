from django.db import migrations

from jobs.moving import with_jobs

ASKED = ['created_by', 'created_at', 'finished_at']


def kinds_of_questions(apps, _):
    """Name the kinds of the questions' jobs; a frontier half-way is asked anew."""
    for row in apps.get_model('runs', 'Inquiry').objects.select_related('job').iterator():
        row.job.kind = row.question
        if row.question == 'frontier' and row.job.status not in ('done', 'failed'):
            row.job.status, row.job.message = 'failed', 'It was begun by an older version; ask again.'
        row.job.save()


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0001_job'),
        ('runs', '0009_proved_floor'),
    ]

    operations = [
        *with_jobs('runs', 'Run', 'fit', asker='created_by', started='created_at', gone=ASKED),
        *with_jobs('runs', 'Inquiry', 'question', asker='created_by', started='created_at', gone=ASKED),
        migrations.RunPython(kinds_of_questions, migrations.RunPython.noop),
    ]
