"""Loose pins become decisions, and boards a table of their own: a work in twelve copies needs twelve places."""

import django.db.models.deletion
from django.db import migrations, models


def to_decisions(apps, schema_editor):
    from emberquilt.work.decisions import from_pins

    Composition, Placement = (apps.get_model("compositions", name) for name in ("Composition", "Placement"))
    for row in Composition.objects.all():
        if row.pins:
            row.decisions = from_pins(row.pins, usual_layer(row)).as_dict()
            row.save(update_fields=["decisions"])
        Placement.objects.bulk_create(
            Placement(composition=row, part=str(p.key), board=p.board, x_mm=p.board_x_mm, y_mm=p.board_y_mm)
            for p in row.pieces.exclude(board="")
        )


def usual_layer(row) -> int:
    """The layer that decisions without one were about."""
    layers = list(row.layers.order_by("-position", "-key"))
    wooden = [one for one in layers if row.pieces.filter(layer_key=one.key, opening=False).exists()] or layers
    found = next((one for one in wooden if one.kind == "mosaic"), wooden[0] if wooden else None)
    return found.key if found else 0


class Migration(migrations.Migration):
    dependencies = [("compositions", "0007_starter_told_and_cut_off")]

    operations = [
        migrations.AddField("composition", "decisions", models.JSONField(default=dict)),
        migrations.CreateModel(
            "Placement",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("part", models.CharField(max_length=40)),
                ("board", models.CharField(max_length=40)),
                ("x_mm", models.FloatField(null=True)),
                ("y_mm", models.FloatField(null=True)),
                (
                    "composition",
                    models.ForeignKey(
                        db_index=False,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="placements",
                        to="compositions.composition",
                    ),
                ),
            ],
            options={
                "ordering": ("part",),
                "constraints": [
                    models.UniqueConstraint(fields=("composition", "part"), name="placement_part"),
                ],
            },
        ),
        migrations.RunPython(to_decisions, migrations.RunPython.noop),
        migrations.RemoveField("composition", "pins"),
        migrations.RemoveField("piece", "board"),
        migrations.RemoveField("piece", "board_x_mm"),
        migrations.RemoveField("piece", "board_y_mm"),
    ]
