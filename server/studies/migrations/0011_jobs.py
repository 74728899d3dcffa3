from django.db import migrations

from jobs.moving import with_jobs


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0001_job'),
        ('studies', '0010_headroom_replicas'),
    ]

    operations = with_jobs('studies', 'LargeText', 'text', asker='asked_by', started='asked_at')
