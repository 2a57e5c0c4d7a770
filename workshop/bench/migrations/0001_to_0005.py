"""What was reached in steps, made at once where nothing is kept yet; older databases go the steps beside this."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True
    replaces = [
        ("bench", "0001_initial"),
        ("bench", "0002_parts"),
        ("bench", "0003_skill"),
        ("bench", "0004_mended"),
        ("bench", "0005_phones"),
    ]


    dependencies = [
        ('compositions', '0001_to_0014'),
        ('shop', '0001_to_0007'),
    ]

    operations = [
        migrations.CreateModel(
            name='Skill',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('level', models.PositiveSmallIntegerField()),
                ('drift_mm', models.FloatField()),
                ('worst_mm', models.FloatField()),
                ('at', models.DateTimeField()),
                ('shop', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='skills', to='shop.shop')),
            ],
            options={
                'ordering': ('-at', '-id'),
            },
        ),
        migrations.CreateModel(
            name='Snapshot',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('client', models.CharField(max_length=40)),
                ('step', models.CharField(blank=True, max_length=40)),
                ('part', models.CharField(blank=True, max_length=40)),
                ('at', models.DateTimeField()),
                ('jpeg', models.BinaryField()),
                ('composition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='snapshots', to='compositions.composition')),
            ],
            options={
                'ordering': ('at', 'id'),
            },
        ),
        migrations.CreateModel(
            name='Story',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.TextField(blank=True, max_length=4000)),
                ('care', models.TextField(blank=True, max_length=1500)),
                ('maker', models.CharField(blank=True, max_length=80)),
                ('composition', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='story', to='compositions.composition')),
                ('shot', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='bench.snapshot')),
            ],
        ),
        migrations.CreateModel(
            name='Undone',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('client', models.CharField(max_length=40)),
                ('composition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='undone', to='compositions.composition')),
            ],
        ),
        migrations.CreateModel(
            name='Event',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.CharField(blank=True, max_length=40)),
                ('step', models.CharField(max_length=40)),
                ('what', models.CharField(choices=[('done', 'Done'), ('broke', 'Broke'), ('mended', 'Mended'), ('note', 'Note'), ('blade', 'Blade'), ('paper', 'Paper')], max_length=8)),
                ('minutes', models.FloatField(null=True)),
                ('estimate_minutes', models.FloatField(null=True)),
                ('at', models.DateTimeField()),
                ('why', models.CharField(blank=True, max_length=12)),
                ('x_mm', models.FloatField(null=True)),
                ('y_mm', models.FloatField(null=True)),
                ('client', models.CharField(blank=True, max_length=40)),
                ('who', models.CharField(blank=True, max_length=40)),
                ('sawn_seconds', models.FloatField(null=True)),
                ('text', models.CharField(blank=True, max_length=500)),
                ('made_of', models.JSONField(default=dict)),
                ('composition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='events', to='compositions.composition')),
            ],
            options={
                'ordering': ('at', 'id'),
                'constraints': [models.UniqueConstraint(condition=models.Q(('client', ''), _negated=True), fields=('composition', 'client'), name='event_known_once')],
            },
        ),
        migrations.AddConstraint(
            model_name='snapshot',
            constraint=models.UniqueConstraint(fields=('composition', 'client'), name='snapshot_once'),
        ),
        migrations.AddConstraint(
            model_name='undone',
            constraint=models.UniqueConstraint(fields=('composition', 'client'), name='undone_once'),
        ),
    ]
