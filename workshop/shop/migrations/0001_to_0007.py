"""What was reached in steps, made at once where nothing is kept yet; older databases go the steps beside this."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True
    replaces = [
        ("shop", "0001_initial"),
        ("shop", "0002_boards_and_woods"),
        ("shop", "0003_time_zone"),
        ("shop", "0004_offcuts_and_spoken"),
        ("shop", "0005_panels"),
        ("shop", "0006_calendar_secret"),
        ("shop", "0007_together"),
    ]


    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Board',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('wood', models.CharField(max_length=40)),
                ('name', models.CharField(max_length=40)),
                ('length_mm', models.FloatField()),
                ('width_mm', models.FloatField()),
                ('thickness_mm', models.FloatField()),
                ('grain_deg', models.FloatField(default=0)),
                ('outline', models.JSONField(default=list)),
                ('defects', models.JSONField(default=list)),
                ('lab', models.JSONField(null=True)),
                ('spread', models.FloatField(default=0)),
                ('photo', models.PositiveIntegerField(default=0)),
                ('offcut', models.BooleanField(default=False)),
                ('panel', models.JSONField(null=True)),
            ],
            options={
                'ordering': ('wood', '-length_mm', 'id'),
            },
        ),
        migrations.CreateModel(
            name='BoardPhoto',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('data', models.BinaryField()),
                ('marks', models.JSONField(default=dict)),
                ('face', models.BinaryField(default=b'')),
                ('px_per_mm', models.FloatField(default=0)),
                ('board', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='picture', to='shop.board')),
            ],
        ),
        migrations.CreateModel(
            name='Shop',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('practice', models.JSONField(default=dict)),
                ('revision', models.PositiveIntegerField(default=1)),
                ('spoken', models.PositiveIntegerField(default=1)),
                ('time_zone', models.CharField(blank=True, max_length=60)),
                ('together', models.JSONField(default=list)),
                ('calendar_secret', models.CharField(blank=True, db_index=True, max_length=60)),
                ('owner', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='shop', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.AddField(
            model_name='board',
            name='shop',
            field=models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='boards', to='shop.shop'),
        ),
        migrations.CreateModel(
            name='OwnWood',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=40)),
                ('values', models.JSONField()),
                ('shop', models.ForeignKey(db_index=False, on_delete=django.db.models.deletion.CASCADE, related_name='own_woods', to='shop.shop')),
            ],
            options={
                'ordering': ('id',),
                'constraints': [models.UniqueConstraint(fields=('shop', 'code'), name='own_wood_code')],
            },
        ),
        migrations.AddConstraint(
            model_name='board',
            constraint=models.UniqueConstraint(fields=('shop', 'name'), name='board_mark'),
        ),
    ]
