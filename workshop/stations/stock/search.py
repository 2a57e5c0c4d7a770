"""The search for a better layout, outside the request, with progress and a stop; the best so far is kept."""

from dataclasses import asdict

from django.db.models import F
from django_tasks import task

from emberquilt.errors import BadChoice, Cancelled, EmberError
from emberquilt.layout.effort import Effort
from emberquilt.stock.laying import Laying, RackLayout
from emberquilt.work.composition import Placement
from workshop.compositions.models import Composition, LayoutSearch
from workshop.compositions.plans import plan_of
from workshop.progress import telling

SECONDS = (15, 60, 300)
LIVE = (LayoutSearch.State.WAITING, LayoutSearch.State.WORKING)
CUT_OFF = "The search was cut off: its worker ended. What it had found so far is kept; begin again to go on."


def begin(row: Composition, seconds: int) -> None:
    """Look for a better layout of the work as it stands; an earlier search ends."""
    fresh = {
        "revision": row.revision,
        "seconds": seconds,
        "state": LayoutSearch.State.WAITING,
        "share": 0,
        "problem": "",
        "places": {},
        "told": {},
    }
    made, new = LayoutSearch.objects.get_or_create(composition=row, defaults=fresh)
    if not new:
        LayoutSearch.objects.filter(pk=made.pk).update(turn=F("turn") + 1, **fresh)
        made.refresh_from_db()
    look.enqueue(made.pk, made.turn)


@task()
def look(pk: int, turn: int) -> None:
    """`turn` is the try it was asked for: a later one, or a stop, makes this one end."""
    search = LayoutSearch.objects.filter(pk=pk, turn=turn, state=LayoutSearch.State.WAITING).first()
    if search is None:
        return
    progress = telling(lambda share, _: _tell(pk, turn, state=LayoutSearch.State.WORKING, share=share))
    try:
        progress(0.01)
        laying = Laying(plan_of(search.composition).job)

        def better(layout: RackLayout) -> None:
            _tell(pk, turn, **_told(layout))

        made = laying.laid(Effort(search.seconds, progress), search.turn, better)
        _tell(pk, turn, state=LayoutSearch.State.READY, share=1.0, **_told(made))
    except Cancelled:
        return
    except EmberError as problem:
        _tell(pk, turn, state=LayoutSearch.State.FAILED, problem=str(problem))
    except Exception:
        _tell(pk, turn, state=LayoutSearch.State.FAILED, problem="The search broke off. What it had found is kept.")
        raise


def _tell(pk: int, turn: int, **values) -> bool:
    return bool(LayoutSearch.objects.filter(pk=pk, turn=turn, state__in=LIVE).update(**values))


def _told(layout: RackLayout) -> dict:
    boards = {one.face for one in layout.laid}
    return {
        "places": {key: asdict(place) for key, place in layout.placements.items()},
        "told": {
            "density": layout.density,
            "bound": layout.bound,
            "boards": len(boards),
            "homeless": len(layout.homeless),
        },
    }


def stop(row: Composition) -> None:
    LayoutSearch.objects.filter(composition=row, state__in=LIVE).update(state=LayoutSearch.State.STOPPED)


def found_places(row: Composition) -> dict[str, Placement]:
    """What the search found for the work as it stands. Raises `BadChoice` where it holds no longer."""
    search = LayoutSearch.objects.filter(composition=row).first()
    if search is None or not search.places:
        raise BadChoice("No search has found a layout yet.")
    if search.revision != row.revision:
        raise BadChoice("The work has changed since that layout was looked for. Look again.")
    return {key: Placement(**place) for key, place in search.places.items()}


def take_up_searches() -> None:
    """What an earlier worker left ends, with what it had found."""
    LayoutSearch.objects.filter(state=LayoutSearch.State.WORKING).update(
        state=LayoutSearch.State.STOPPED, problem=CUT_OFF
    )
    for search in LayoutSearch.objects.filter(state=LayoutSearch.State.WAITING).select_related("composition"):
        begin(search.composition, search.seconds)
