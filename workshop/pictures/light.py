"""How a work's picture is shown, as its pins say."""

from django.urls import reverse

from emberquilt.picture.light import Lamp
from emberquilt.picture.parts import Frame
from emberquilt.picture.render import BACKER, Light
from emberquilt.work.composition import Composition
from workshop.stations.faces import rack_stamp

LAMPS = {
    135: "upper left",
    90: "above",
    45: "upper right",
    180: "left",
    0: "right",
    225: "lower left",
    270: "below",
    315: "lower right",
}
DPIS = (100, 150, 200, 300)
WALL_MARGIN_MM = 30.0


def light_of(composition: Composition, **more) -> Light:
    """The light that is kept with a work; `more` changes it."""
    kept = composition.pins.get("look", {})
    frame = kept.get("frame", "")
    framed = Frame(frame, kept.get("frame_mm", Frame.width_mm)) if frame in composition.rack.shelf else None
    wall = kept.get("wall", BACKER)
    margin = WALL_MARGIN_MM if framed or "wall" in kept else 0.0
    return Light(kept.get("gloss", "satin"), Lamp(kept.get("from_deg", 135.0)), wall, margin, framed, **more)


def look_address(row, composition: Composition) -> dict:
    """Where the picture of this state is found, and how far (mm) it reaches beyond the sheet."""
    light = light_of(composition)
    pad = light.margin_mm + (light.frame.width_mm if light.frame else 0.0)
    shop = rack_stamp(composition.rack.shelf, composition.rack.boards)
    return {
        "look_url": f"{reverse('look', args=(row.uid,))}?r={row.revision}.{shop}&layer={composition.whole.key}",
        "look_pad": pad,
    }
