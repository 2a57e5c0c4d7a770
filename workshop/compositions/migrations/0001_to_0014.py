"""What was reached in steps, made at once where nothing is kept yet; older databases go the steps beside this."""

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True
    replaces = [
        ("compositions", "0001_initial"),
        ("compositions", "0002_layers_and_openings"),
        ("compositions", "0003_knobs"),
        ("compositions", "0004_one_index_each"),
        ("compositions", "0005_last_key"),
        ("compositions", "0006_choices_of_wood"),
        ("compositions", "0007_starter_told_and_cut_off"),
        ("compositions", "0008_decisions_and_placements"),
        ("compositions", "0009_photo_over"),
        ("compositions", "0010_lying"),
        ("compositions", "0011_layout_search"),
        ("compositions", "0012_dates"),
        ("compositions", "0013_long_work"),
        ("compositions", "0014_shown_to_others"),
    ]


    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Composition',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('uid', models.UUIDField(default=uuid.uuid4, editable=False, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('width_mm', models.FloatField()),
                ('height_mm', models.FloatField()),
                ('practice', models.JSONField(default=dict)),
                ('decisions', models.JSONField(default=dict)),
                ('intake', models.JSONField(default=list)),
                ('revision', models.PositiveIntegerField(default=1)),
                ('shape_revision', models.PositiveIntegerField(default=1)),
                ('cursor', models.PositiveIntegerField(default=0)),
                ('last_key', models.PositiveIntegerField(default=0)),
                ('source_name', models.CharField(blank=True, max_length=200)),
                ('origin', models.JSONField(default=dict)),
                ('starter', models.BooleanField(default=False)),
                ('told', models.JSONField(default=dict)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('updated', models.DateTimeField(auto_now=True)),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='compositions', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ('-updated',),
            },
        ),
        migrations.CreateModel(
            name='DatePlan',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('turn', models.PositiveIntegerField(default=0)),
                ('share', models.FloatField(default=0)),
                ('words', models.CharField(blank=True, max_length=120)),
                ('problem', models.TextField(blank=True)),
                ('cut_off', models.PositiveIntegerField(default=0)),
                ('sittings', models.JSONField(default=dict)),
                ('version', models.PositiveIntegerField(default=0)),
                ('revision', models.PositiveIntegerField(default=0)),
                ('seconds', models.PositiveIntegerField(default=10)),
                ('state', models.CharField(choices=[('none', 'None'), ('waiting', 'Waiting'), ('working', 'Working'), ('ready', 'Ready'), ('failed', 'Failed'), ('stopped', 'Stopped')], default='none', max_length=10)),
                ('found', models.JSONField(default=dict)),
                ('told', models.JSONField(default=dict)),
                ('exported', models.JSONField(default=dict)),
                ('composition', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='dates', to='compositions.composition')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Draft',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('state', models.CharField(choices=[('none', 'None'), ('waiting', 'Waiting'), ('working', 'Working'), ('ready', 'Ready'), ('failed', 'Failed'), ('stopped', 'Stopped')], default='waiting', max_length=10)),
                ('turn', models.PositiveIntegerField(default=0)),
                ('share', models.FloatField(default=0)),
                ('words', models.CharField(blank=True, max_length=120)),
                ('problem', models.TextField(blank=True)),
                ('cut_off', models.PositiveIntegerField(default=0)),
                ('uid', models.UUIDField(default=uuid.uuid4, editable=False, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('file_name', models.CharField(max_length=200)),
                ('data', models.BinaryField()),
                ('way', models.CharField(blank=True, max_length=20)),
                ('knobs', models.JSONField(default=dict)),
                ('font', models.BinaryField(default=b'')),
                ('over', models.BinaryField(default=b'')),
                ('result', models.JSONField(null=True)),
                ('created', models.DateTimeField(auto_now_add=True)),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='drafts', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ('-created',),
            },
        ),
        migrations.CreateModel(
            name='LayoutSearch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('state', models.CharField(choices=[('none', 'None'), ('waiting', 'Waiting'), ('working', 'Working'), ('ready', 'Ready'), ('failed', 'Failed'), ('stopped', 'Stopped')], default='waiting', max_length=10)),
                ('turn', models.PositiveIntegerField(default=0)),
                ('share', models.FloatField(default=0)),
                ('words', models.CharField(blank=True, max_length=120)),
                ('problem', models.TextField(blank=True)),
                ('cut_off', models.PositiveIntegerField(default=0)),
                ('revision', models.PositiveIntegerField()),
                ('seconds', models.PositiveIntegerField(default=30)),
                ('places', models.JSONField(default=dict)),
                ('told', models.JSONField(default=dict)),
                ('composition', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='search', to='compositions.composition')),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Source',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('data', models.BinaryField()),
                ('composition', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='source', to='compositions.composition')),
            ],
        ),
        migrations.CreateModel(
            name='Entry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('seq', models.PositiveIntegerField()),
                ('label', models.CharField(max_length=120)),
                ('before', models.JSONField()),
                ('after', models.JSONField()),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='entries', to='compositions.composition')),
            ],
            options={
                'ordering': ('seq',),
                'constraints': [models.UniqueConstraint(fields=('composition', 'seq'), name='entry_seq')],
            },
        ),
        migrations.CreateModel(
            name='Layer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.PositiveIntegerField()),
                ('name', models.CharField(max_length=120)),
                ('kind', models.CharField(max_length=20)),
                ('position', models.IntegerField(default=0)),
                ('thickness_mm', models.FloatField(null=True)),
                ('material', models.CharField(blank=True, max_length=80)),
                ('note', models.CharField(blank=True, max_length=200)),
                ('trim_flush', models.BooleanField(default=False)),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='layers', to='compositions.composition')),
            ],
            options={
                'ordering': ('position', 'key'),
                'constraints': [models.UniqueConstraint(fields=('composition', 'key'), name='layer_key')],
            },
        ),
        migrations.CreateModel(
            name='Outline',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.PositiveIntegerField()),
                ('wkb', models.BinaryField()),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='outlines', to='compositions.composition')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('composition', 'key'), name='outline_key')],
            },
        ),
        migrations.CreateModel(
            name='Piece',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('layer_key', models.PositiveIntegerField()),
                ('key', models.PositiveIntegerField()),
                ('number', models.PositiveIntegerField()),
                ('wood', models.CharField(blank=True, max_length=40)),
                ('grain_deg', models.FloatField(null=True)),
                ('thickness_mm', models.FloatField(null=True)),
                ('shim_mm', models.FloatField(default=0)),
                ('part', models.CharField(blank=True, max_length=80)),
                ('colour', models.CharField(blank=True, max_length=7)),
                ('opening', models.BooleanField(default=False)),
                ('coat', models.CharField(blank=True, max_length=40)),
                ('locked', models.BooleanField(default=False)),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='pieces', to='compositions.composition')),
            ],
            options={
                'ordering': ('key',),
                'constraints': [models.UniqueConstraint(fields=('composition', 'key'), name='piece_key')],
            },
        ),
        migrations.CreateModel(
            name='Placement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.CharField(max_length=40)),
                ('board', models.CharField(max_length=40)),
                ('x_mm', models.FloatField(null=True)),
                ('y_mm', models.FloatField(null=True)),
                ('turned_deg', models.FloatField(default=0)),
                ('leaf', models.PositiveSmallIntegerField(default=0)),
                ('nailed', models.BooleanField(default=True)),
                ('lies', models.BinaryField(null=True)),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='placements', to='compositions.composition')),
            ],
            options={
                'ordering': ('part',),
                'constraints': [models.UniqueConstraint(fields=('composition', 'part'), name='placement_part')],
            },
        ),
        migrations.CreateModel(
            name='Share',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('may', models.CharField(choices=[('read', 'to look at'), ('copy', 'a copy may be taken'), ('work', 'to work on together')], max_length=4)),
                ('since', models.DateTimeField(auto_now_add=True)),
                ('composition', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='shares', to='compositions.composition')),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shared_with', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ('person__username',),
                'constraints': [models.UniqueConstraint(fields=('composition', 'person'), name='shared_once')],
            },
        ),
    ]
