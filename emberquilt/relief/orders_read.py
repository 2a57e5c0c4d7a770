"""Orders of depth from a file: JSON, by the numbers of pieces or the names of parts."""

import json
from typing import Any

from ..errors import BadChoice
from ..keys import runs
from ..plain import read_json
from ..work.change import Edit, decided
from ..work.composition import Composition
from ..work.decisions import Order
from .order_verbs import MOST_ORDERS

HOW = 'Orders are a list such as [{"front": 12, "behind": 9}, {"front": 3, "behind": 4, "level": true}].'


def orders_read(composition: Composition, text: str) -> Edit:
    """An edit that says these orders after those that stand. Each side is a piece's number, a list of them, or the
    name of a part. Raises `BadChoice` with one sentence that says what is wrong, and where."""
    try:
        rows = read_json(text)
    except (json.JSONDecodeError, RecursionError, ValueError):
        raise BadChoice(f"The file of orders is no JSON. {HOW}") from None
    if not isinstance(rows, list) or len(rows) > MOST_ORDERS:
        raise BadChoice(f"{HOW} Up to {MOST_ORDERS} can be given.")
    made = tuple(_order(composition, row, n) for n, row in enumerate(rows, 1))
    orders = dict.fromkeys((*composition.decisions.relief.orders, *made))
    return decided(composition, f"{len(made)} orders of depth", "relief", orders=tuple(orders))


def _order(composition: Composition, row: Any, n: int) -> Order:
    if not isinstance(row, dict) or not {"front", "behind"} <= row.keys() or row.keys() - {"front", "behind", "level"}:
        raise BadChoice(f"Order {n} cannot be read. {HOW}")
    front, behind = (_keys(composition, row[side], n) for side in ("front", "behind"))
    if set(front) & set(behind):
        raise BadChoice(f"Order {n} sets a piece in front of itself.")
    if not isinstance(row.get("level", False), bool):
        raise BadChoice(f"Order {n}: level is true or false.")
    return Order(runs(front), runs(behind), row.get("level", False))


def _keys(composition: Composition, value: Any, n: int) -> list[int]:
    made = composition.made
    if isinstance(value, str):
        keys = [p.key for p in made if p.part == value and value]
        if not keys:
            raise BadChoice(f"Order {n} speaks of a part “{value[:40]}” that is not in this picture.")
        return keys
    numbers = value if isinstance(value, list) else [value]
    if not numbers or not all(isinstance(one, int) and not isinstance(one, bool) for one in numbers):
        raise BadChoice(f"Order {n} cannot be read. {HOW}")
    by_number = {p.number: p.key for p in made}
    missing = [one for one in numbers if one not in by_number]
    if missing:
        raise BadChoice(f"Order {n} speaks of piece {missing[0]}, and there is none of that number.")
    return [by_number[one] for one in dict.fromkeys(numbers)]
