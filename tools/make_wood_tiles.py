"""Draws the grain of every shipped wood into workshop/static/woods/CODE.jpg. Run after changing woods.csv or
figure.py."""

from pathlib import Path

from PIL import Image

from emberquilt.colour import lab_of
from emberquilt.picture.figure import tile
from emberquilt.rack.woods import woods

OUT = Path(__file__).parent.parent / "workshop" / "static" / "woods"

if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    for wood in woods().values():
        Image.fromarray(tile(wood, lab_of(wood.finished))).save(OUT / f"{wood.code}.jpg", quality=80)
