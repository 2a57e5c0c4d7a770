"""Draws the grain of every shipped wood into workshop/static/woods/CODE.jpg. Run after changing woods.csv or figure.py."""

from pathlib import Path

from PIL import Image

from emberquilt.wood.figure import tile
from emberquilt.wood.woods import woods

OUT = Path(__file__).parent.parent / "workshop" / "static" / "woods"

if __name__ == "__main__":
    OUT.mkdir(parents=True, exist_ok=True)
    for wood in woods().values():
        Image.fromarray(tile(wood)).save(OUT / f"{wood.code}.jpg", quality=80)
