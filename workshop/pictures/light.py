"""How a work's picture is shown, as was decided."""

from dataclasses import replace

from django.urls import reverse

from emberquilt.errors import BadChoice
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
    kept, rails = composition.decisions.wood.look, composition.decisions.relief.rails
    framed = None
    if kept.frame in composition.rack.shelf:
        framed = Frame(kept.frame, kept.frame_mm or Frame.width_mm)
    elif rails is not None and rails.material in composition.rack.shelf:
        framed = Frame(rails.material, rails.width_mm)
    margin = WALL_MARGIN_MM if framed or kept.wall else 0.0
    lamp = Lamp(135.0 if kept.from_deg is None else kept.from_deg)
    return Light(kept.gloss or "satin", lamp, kept.wall or BACKER, margin, framed, **more)


def lit_from(light: Light, lamp: str) -> Light:
    """The light with the lamp elsewhere: ``degrees round,degrees high``; as it is for nothing. Raises `BadChoice`."""
    if not lamp:
        return light
    try:
        around, high = (float(one) for one in lamp.split(","))
    except ValueError:
        raise BadChoice("Where the lamp stands could not be read.") from None
    if not (abs(around) <= 360 and 1 <= high <= 90):
        raise BadChoice("The lamp stands 1 to 90 degrees high, anywhere round the work.")
    return replace(light, lamp=Lamp(around, min(high, 89.0)))


def look_address(row, composition: Composition) -> dict:
    """Where the picture of this state is found, and how far (mm) it reaches beyond the sheet."""
    light = light_of(composition)
    pad = light.margin_mm + (light.frame.width_mm if light.frame else 0.0)
    shop = rack_stamp(composition.rack.shelf, composition.rack.boards)
    return {
        "look_url": f"{reverse('look', args=(row.uid,))}?r={row.revision}.{shop}",
        "look_pad": pad,
    }
