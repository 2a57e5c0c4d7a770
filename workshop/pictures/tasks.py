"""Long work: the picture at print size."""

from typing import Any

import cv2

from emberquilt.constants import MM_PER_INCH
from emberquilt.picture.render import picture
from workshop.compositions import store
from workshop.compositions.models import Composition
from workshop.longwork.kinds import Kind, enter
from workshop.longwork.queue import ask
from workshop.shop.actions import photos_of

from .light import light_of
from .models import FinalPicture

FINAL_SS = 2
FEWER = "Try fewer dots to the inch."


def make_final(made: FinalPicture, progress) -> dict[str, Any]:
    composition = store.load(made.composition)
    light = light_of(composition, ss=FINAL_SS)
    pad = light.margin_mm + (light.frame.width_mm if light.frame else 0.0)
    width = round((composition.width_mm + 2 * pad) / MM_PER_INCH * made.dpi)
    shown = picture(composition, width, light, photos=photos_of(made.composition.owner), progress=progress)
    _, png = cv2.imencode(".png", cv2.cvtColor(shown, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 4])
    return {"png": png.tobytes(), "revision": made.composition.revision}


PICTURE = enter(
    Kind(
        "picture",
        FinalPicture,
        make_final,
        lambda made: made.composition.owner,
        broke=f"This picture could not be made. {FEWER}",
        no_time=f"This picture was not made within {{:.0f}} minutes. {FEWER}",
        no_memory=f"This picture asks for more memory than is given to one: up to {{:.1f}} GB. {FEWER}",
        cut_off="The making of this picture was cut off twice: its worker ended. Try fewer dots to the inch, or try "
        "again.",
    )
)


def begin(row: Composition, dpi: int) -> None:
    """Ask for the picture of the work as it stands now; an earlier try ends."""
    made, _ = FinalPicture.objects.get_or_create(composition=row, defaults={"revision": row.revision})
    ask(PICTURE, made, revision=row.revision, dpi=dpi, png=b"")
