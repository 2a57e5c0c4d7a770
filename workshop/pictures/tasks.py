"""Long work: the picture at print size, outside the request, with progress and a stop."""

import cv2
from django.db.models import F
from django_tasks import task

from emberquilt.constants import MM_PER_INCH
from emberquilt.errors import Cancelled, EmberError
from emberquilt.picture.render import picture
from workshop.compositions import store
from workshop.compositions.models import Composition
from workshop.progress import telling
from workshop.shop.actions import photos_of

from .light import light_of
from .models import FinalPicture

FINAL_SS = 2


@task()
def make_final(pk: int, turn: int) -> None:
    """`turn` is the try it was asked for: a later try, or a stop, makes this one end."""
    made = (
        FinalPicture.objects.filter(pk=pk, turn=turn, state=FinalPicture.State.WAITING)
        .select_related("composition__owner")
        .first()
    )
    if made is None:
        return
    progress = telling(lambda share, _: _tell(made, turn, state=FinalPicture.State.WORKING, share=share))
    try:
        progress(0.01)
        composition = store.load(made.composition)
        light = light_of(composition, ss=FINAL_SS)
        pad = light.margin_mm + (light.frame.width_mm if light.frame else 0.0)
        width = round((composition.width_mm + 2 * pad) / MM_PER_INCH * made.dpi)
        shown = picture(composition, width, light, photos=photos_of(made.composition.owner), progress=progress)
        _, png = cv2.imencode(".png", cv2.cvtColor(shown, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 4])
        _tell(
            made, turn, state=FinalPicture.State.READY, share=1.0, png=png.tobytes(), revision=made.composition.revision
        )
    except Cancelled:
        return
    except EmberError as problem:
        _tell(made, turn, state=FinalPicture.State.FAILED, problem=str(problem))
    except Exception:
        _tell(
            made,
            turn,
            state=FinalPicture.State.FAILED,
            problem="This picture could not be made. Try fewer dots to the inch.",
        )
        raise


def _tell(made: FinalPicture, turn: int, **values) -> bool:
    live = (FinalPicture.State.WAITING, FinalPicture.State.WORKING)
    return bool(FinalPicture.objects.filter(pk=made.pk, turn=turn, state__in=live).update(**values))


def take_up_pictures() -> None:
    """What another worker left: it goes back to waiting once; cut off a second time it says so, and can be asked for
    again."""
    for made in (
        FinalPicture.objects.defer("png").select_related("composition").filter(state=FinalPicture.State.WAITING)
    ):
        begin(made.composition, made.dpi, made.cut_off)
    for made in (
        FinalPicture.objects.defer("png").select_related("composition").filter(state=FinalPicture.State.WORKING)
    ):
        if made.cut_off:
            _tell(made, made.turn, state=FinalPicture.State.FAILED, problem=CUT_OFF)
        else:
            begin(made.composition, made.dpi, 1)


CUT_OFF = "The making of this picture was cut off twice: its worker ended. Try fewer dots to the inch, or try again."


def begin(row: Composition, dpi: int, cut_off: int = 0) -> None:
    """Ask for the picture of the work as it stands now; an earlier try ends."""
    fresh = {
        "cut_off": cut_off,
        "revision": row.revision,
        "dpi": dpi,
        "state": FinalPicture.State.WAITING,
        "share": 0,
        "problem": "",
        "png": b"",
    }
    made, new = FinalPicture.objects.get_or_create(composition=row, defaults=fresh)
    if not new:
        FinalPicture.objects.filter(pk=made.pk).update(turn=F("turn") + 1, **fresh)
        made.refresh_from_db()
    make_final.enqueue(made.pk, made.turn)
