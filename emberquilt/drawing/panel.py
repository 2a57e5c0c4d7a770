"""Back end for the page: the scene as plain values, for whatever draws the panel there."""

from collections.abc import Iterable

from ..work.scene import Scene, Shape


def shapes_json(scene: Scene) -> dict:
    """Outlines: {"w", "h", "stacked", "shapes": [[key, path, x, y, r], ...]} in mm. Changes only when pieces change."""
    return {
        "w": scene.width_mm,
        "h": scene.height_mm,
        "stacked": scene.stacked,
        "shapes": shape_rows(scene.shapes),
    }


def shape_rows(shapes: Iterable[Shape]) -> list[list]:
    return [[s.key, s.path, round(s.spot.x_mm, 2), round(s.spot.y_mm, 2), round(s.spot.radius_mm, 2)] for s in shapes]


def dress_json(scene: Scene) -> dict:
    """What the pieces wear: {"pieces": {key: [wood, grain, tone, label, arrow, strong, colour, coat, face]},
    "rendered", "marks": [...]}."""
    return {
        "pieces": {key: d.row for key, d in scene.dress.items()},
        "rendered": scene.rendered,
        "marks": [
            {
                name: value
                for name, value in (
                    ("kind", m.kind),
                    ("x", round(m.x_mm, 2)),
                    ("y", round(m.y_mm, 2)),
                    ("path", m.path),
                    ("text", m.text),
                    ("piece", m.piece),
                    ("wide", m.wide),
                )
                if value
            }
            for m in scene.marks
        ],
    }
