"""What was reached in steps, made at once where nothing is kept yet; older databases go the steps beside this."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True
    replaces = [
        ("pictures", "0001_final_picture"),
        ("pictures", "0002_cut_off"),
        ("pictures", "0003_long_work"),
    ]


    dependencies = [
        ('compositions', '0001_to_0014'),
    ]

    operations = [
        migrations.CreateModel(
            name='FinalPicture',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('state', models.CharField(choices=[('none', 'None'), ('waiting', 'Waiting'), ('working', 'Working'), ('ready', 'Ready'), ('failed', 'Failed'), ('stopped', 'Stopped')], default='waiting', max_length=10)),
                ('turn', models.PositiveIntegerField(default=0)),
                ('share', models.FloatField(default=0)),
                ('words', models.CharField(blank=True, max_length=120)),
                ('problem', models.TextField(blank=True)),
                ('cut_off', models.PositiveIntegerField(default=0)),
                ('revision', models.PositiveIntegerField()),
                ('dpi', models.PositiveIntegerField(default=150)),
                ('png', models.BinaryField(default=b'')),
                ('composition', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='final', to='compositions.composition')),
            ],
            options={
                'abstract': False,
            },
        ),
    ]
