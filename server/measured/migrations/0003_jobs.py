from django.db import migrations

from jobs.moving import with_jobs


class Migration(migrations.Migration):

    dependencies = [
        ('jobs', '0001_job'),
        ('measured', '0002_work'),
    ]

    operations = with_jobs('measured', 'UsageSet', 'usage', asker='read_by', started='read_at')
