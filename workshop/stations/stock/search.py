"""The search for a better layout, outside the request, with progress and a stop; the best so far is kept."""

from dataclasses import asdict
from typing import Any

from emberquilt.errors import BadChoice
from emberquilt.layout.effort import Effort
from emberquilt.limits import Limits
from emberquilt.stock.laying import Laying, RackLayout
from emberquilt.work.composition import Placement
from workshop.compositions.models import Composition, LayoutSearch
from workshop.compositions.plans import plan_of
from workshop.longwork.kinds import Kind, enter
from workshop.longwork.queue import ask

SECONDS = (15, 60, 300)
OPENING_SECONDS = 120
"""What a search may take beside the time that it was given."""


def begin(row: Composition, seconds: int) -> None:
    """Look for a better layout of the work as it stands; an earlier search ends."""
    made, _ = LayoutSearch.objects.get_or_create(composition=row, defaults={"revision": row.revision})
    ask(LAYOUT, made, revision=row.revision, seconds=seconds, places={}, told={})


def look(search: LayoutSearch, progress) -> dict[str, Any]:
    laying = Laying(plan_of(search.composition).job)

    def better(layout: RackLayout) -> None:
        search.tell(**_told(layout))

    return _told(laying.laid(Effort(search.seconds, progress), search.turn, better))


KEPT = "What it had found so far is kept; begin again to go on."
LAYOUT = enter(
    Kind(
        "layout",
        LayoutSearch,
        look,
        lambda search: search.composition.owner,
        broke="The search broke off. What it had found is kept.",
        no_time=f"The search did not end in time, after {{:.0f}} minutes. {KEPT}",
        no_memory=f"The search asks for more memory than is given to one: up to {{:.1f}} GB. {KEPT}",
        cut_off=f"The search was cut off: its worker ended. {KEPT}",
        limits=lambda search: Limits(search.seconds + OPENING_SECONDS),
        again=False,
    )
)


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


def found_places(row: Composition) -> dict[str, Placement]:
    """What the search found for the work as it stands. Raises `BadChoice` where it holds no longer."""
    search = LayoutSearch.objects.filter(composition=row).first()
    if search is None or not search.places:
        raise BadChoice("No search has found a layout yet.")
    if search.revision != row.revision:
        raise BadChoice("The work has changed since that layout was looked for. Look again.")
    return {key: Placement(**place) for key, place in search.places.items()}
