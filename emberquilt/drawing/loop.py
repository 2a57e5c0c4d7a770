"""A circle of orders, drawn as a loop of string."""

import math

from ..keys import keys_in
from ..relief.orders_judged import spoken
from ..work.parts import Job

MIDDLE_PX, REACH_PX = (120, 63), (74, 42)
BEGINS_RAD = -2.4


def loop_of(job: Job, said: list[int]) -> dict:
    """A circle of orders, drawn as a loop of string: knots are what they speak of, tabs point at what is behind."""
    orders = [job.composition.decisions.relief.orders[n] for n in said]
    knots, tabs = [], []
    for i, order in enumerate(orders):
        at, between = (2 * math.pi * (i + share) / len(orders) + BEGINS_RAD for share in (0.0, 0.5))
        numbers = keys_in(order.front)
        knots.append(
            {
                "x": round(MIDDLE_PX[0] + REACH_PX[0] * math.cos(at), 1),
                "y": round(MIDDLE_PX[1] + REACH_PX[1] * math.sin(at), 1),
                "keys": order.front,
                "words": spoken(job.composition, order.front) if len(numbers) == 1 else f"{len(numbers)}×",
            }
        )
        tabs.append(
            {
                "x": round(MIDDLE_PX[0] + REACH_PX[0] * math.cos(between), 1),
                "y": round(MIDDLE_PX[1] + REACH_PX[1] * math.sin(between), 1),
                "deg": round(
                    math.degrees(math.atan2(REACH_PX[1] * math.cos(between), -REACH_PX[0] * math.sin(between))), 1
                ),
            }
        )
    words = ", ".join(
        f"{spoken(job.composition, o.front)} in front of {spoken(job.composition, o.behind)}" for o in orders
    )
    return {"knots": knots, "tabs": tabs, "words": words}
