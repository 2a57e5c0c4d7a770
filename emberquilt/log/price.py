"""What a work costs, and the price that leaves what is to be left."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from ..assembly.finishing import coatings_of
from ..assembly.glueup import GluePlan
from ..assembly.supplies import glues
from ..constants import MM_PER_INCH
from ..practice import Practice
from ..saw.cuts import SawPlan
from ..stock.leaves import is_sheet
from ..stock.need import Need, bought_feet, grain_boxes_mm2
from ..units import format_minutes
from ..work.copies import any_copy
from ..work.parts import Job
from .happened import BLADE, PAPER, Happened
from .hours import Hours

SHEET_MINUTES = 40.0
"""Of sanding to a sheet of paper, as long as nobody counts them at the bench: common practice, no source."""
MM2_PER_FOOT2 = 144 * MM_PER_INCH**2


@dataclass(frozen=True, slots=True)
class Item:
    """One line of the bill. `each` and `cost` are None where nobody said a price; `counted`: at the bench, and not
    planned."""

    kind: str
    name: str
    amount: str
    quantity: float
    each: float | None
    counted: bool = False

    @property
    def cost(self) -> float | None:
        return None if self.each is None else self.quantity * self.each


@dataclass(frozen=True)
class Bill:
    """What `copies` of a work cost. The price is what costs, the share that selling takes and the share that is to be
    left add up to."""

    items: tuple[Item, ...]
    minutes: float
    copies: int
    fee_share: float
    margin_share: float

    @property
    def cost(self) -> float:
        return sum(item.cost or 0.0 for item in self.items)

    @property
    def unknown(self) -> tuple[str, ...]:
        """What has no price yet."""
        return tuple(item.name for item in self.items if item.each is None and item.quantity)

    @property
    def price(self) -> float:
        return self.cost / (1 - self.fee_share - self.margin_share)

    @property
    def fee(self) -> float:
        return self.price * self.fee_share

    @property
    def margin(self) -> float:
        return self.price * self.margin_share

    @property
    def cost_each(self) -> float:
        return self.cost / self.copies

    @property
    def price_each(self) -> float:
        return self.price / self.copies


def bill_of(
    job: Job,
    needs: Sequence[Need],
    saw: SawPlan,
    glue: GluePlan,
    hours: Iterable[Hours],
    prices: Practice,
    events: Iterable[Happened] = (),
) -> Bill:
    """Every line of what all copies cost, by the shop's `prices`."""
    practice, told, by_station = prices, Counter(e.what for e in events), list(hours)
    minutes = sum(one.minutes for one in by_station)
    sanding = sum(one.minutes for one in by_station if one.station == "relief")

    def priced(value: float) -> float | None:
        return value or None

    items = [*_woods(job, needs)]
    planned, is_done = sum(need.count for need in saw.needs), all(one.left == 0 for one in by_station)
    # as long as some of it is to be done, at least what is planned
    blades = max(told[BLADE] + 1, 0 if is_done else planned) if told[BLADE] else planned
    items.append(_counted("blades", blades, priced(practice.blade_price), blades == told[BLADE] + 1))
    usual = sanding / SHEET_MINUTES
    sheets = max(told[PAPER], 0 if is_done else usual) if told[PAPER] else usual
    items.append(_counted("sheets of sandpaper", sheets, priced(practice.sheet_price), sheets == told[PAPER]))
    for name, ml in _glues(glue, job.copies):
        items.append(Item("glue", name, f"{ml:.0f} ml", ml / 100, priced(practice.glue_price)))
    for name, ml in _finishes(job):
        items.append(Item("finish", name, f"{ml:.0f} ml", ml / 100, priced(practice.finish_price)))
    items.append(Item("extras", "hanger, box and so on", f"{job.copies}", job.copies, priced(practice.extras_price)))
    items.append(Item("hours", "hours of hands", format_minutes(minutes), minutes / 60, priced(practice.wage)))
    items.append(
        Item("overhead", "rent, power, machines", format_minutes(minutes), minutes / 60, priced(practice.overhead_hour))
    )
    kept = tuple(item for item in items if item.quantity > 0)
    return Bill(kept, minutes, job.copies, practice.fee_share, min(practice.margin_share, 0.95 - practice.fee_share))


def _counted(name: str, count: float, each: float | None, counted: bool) -> Item:
    words = f"{count:.0f}" if counted or count == int(count) else f"about {count:.1f}"
    return Item("tools", name, words, count, each, counted)


def _woods(job: Job, needs: Sequence[Need]) -> Iterable[Item]:
    """By material: of parts that lie on a board what they take out of it, of others what to have at hand. Boards are
    charged by the board foot of the thickness they are sold at, sheets by the square foot."""
    boxes, placements = grain_boxes_mm2(job), job.composition.placements
    rack = job.composition.rack
    feet: dict[str, list[float]] = {}
    for need in needs:
        lying = {part for part in placements if any_copy(part) in need.parts}
        used = sum(boxes[any_copy(part)] for part in lying)
        away = len(need.parts) * job.copies
        used += need.rough_mm2 * (1 - len(lying) / away) if away > len(lying) else 0.0
        sheet = is_sheet(rack, need.material)
        row = feet.setdefault(need.material, [0.0, 0.0])
        row[0] += used / MM2_PER_FOOT2 if sheet else bought_feet(used, need.thickness_mm)
        row[1] += used
    practice = job.composition.practice
    for code, (sold, area) in sorted(feet.items(), key=lambda entry: -entry[1][0]):
        wood = rack.shelf.get(code)
        unit = "square feet" if is_sheet(rack, code) else "board feet"
        words = f"{sold:.2f} {unit}, {practice.say_area(area)}"
        yield Item("wood", wood.name if wood else code, words, sold, wood.price if wood else None)


def _glues(glue: GluePlan, copies: int) -> Iterable[tuple[str, float]]:
    table: dict[str, float] = {}
    for batch in glue.batches:
        for step in batch.steps:
            one = glues()[step.glue]
            table[one.name] = table.get(one.name, 0.0) + one.ml(step.area_mm2) * copies
    return ((name, ml) for name, ml in table.items() if ml > 0)


def _finishes(job: Job) -> Iterable[tuple[str, float]]:
    table: dict[str, float] = {}
    for coating in coatings_of(job):
        name = coating.supply.name
        table[name] = table.get(name, 0.0) + coating.ml * job.copies
    return ((name, ml) for name, ml in table.items() if ml > 0)
