from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studies', '0009_headroom'),
    ]

    operations = [
        migrations.AddField(
            model_name='variant',
            name='headroom_replicas',
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
