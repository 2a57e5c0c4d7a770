"""What is ticked is a part of a copy, or a step as a whole, no longer only a piece."""

from django.db import migrations, models
from django.db.models import CharField, F
from django.db.models.functions import Cast


def to_parts(apps, schema_editor):
    for name in ("Event", "Timer"):
        apps.get_model("bench", name).objects.update(part=Cast(F("piece"), CharField()))


class Migration(migrations.Migration):
    dependencies = [("bench", "0001_initial")]

    operations = [
        migrations.AddField("event", "part", models.CharField(blank=True, max_length=40, default=""), preserve_default=False),
        migrations.AddField("timer", "part", models.CharField(blank=True, max_length=40, default=""), preserve_default=False),
        migrations.RunPython(to_parts, migrations.RunPython.noop),
        migrations.RemoveField("event", "piece"),
        migrations.RemoveField("timer", "piece"),
    ]
