"""Writes workshop/static/css/woods.css: a class for each wood's grain. Run after changing woods.csv."""

from pathlib import Path

from emberquilt.rack.woods import woods

OUT = Path(__file__).parent.parent / "workshop" / "static" / "css" / "woods.css"

if __name__ == "__main__":
    rules = [f".wd-{w.code}{{background:{w.finished} url(../woods/{w.code}.jpg)}}" for w in woods().values()]
    OUT.write_text("/* made by tools/make_wood_css.py */\n" + "\n".join(rules) + "\n")
