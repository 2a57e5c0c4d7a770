from django.db import migrations, models


def typed(apps, _schema):
    for draft in apps.get_model("compositions", "Draft").objects.all():
        draft.knobs = {"how": "width", "size": draft.width_text, "outside": draft.outside}
        draft.save(update_fields=["knobs"])


class Migration(migrations.Migration):
    dependencies = [("compositions", "0002_layers_and_openings")]

    operations = [
        migrations.AddField("draft", "knobs", models.JSONField(default=dict)),
        migrations.AddField("draft", "font", models.BinaryField(default=b"")),
        migrations.RunPython(typed, migrations.RunPython.noop),
        migrations.RemoveField("draft", "outside"),
        migrations.RemoveField("draft", "width_mm"),
        migrations.RemoveField("draft", "width_text"),
    ]
