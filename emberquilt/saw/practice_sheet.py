"""Exercises for the hand: lines to saw, from straight ones to letters, by how hard a work is."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from ..errors import BadChoice
from ..intake.lettering import OTHERWISE, set_text
from ..intake.marked_sheet import SHEET_MM

LEVELS = {
    1: "straight lines",
    2: "waves",
    3: "circles and tight curves",
    4: "corners and points",
    5: "letters and tiny openings",
}
Points = np.ndarray


@dataclass(frozen=True, slots=True)
class Exercise:
    """Lines of one kind on the sheet, as points in mm from its upper left."""

    name: str
    lines: tuple[Points, ...]


def _straight(y: float, high: float) -> list[Points]:
    return [np.array([[22.0, y + t * high], [148.0, y + t * high]]) for t in (0.2, 0.8)]


def _zigzag(y: float, high: float) -> list[Points]:
    x = np.linspace(22.0, 148.0, 13)
    return [np.stack([x, y + high * np.where(np.arange(13) % 2, 0.1, 0.9)], axis=1)]


def _waves(y: float, high: float) -> list[Points]:
    x = np.linspace(22.0, 148.0, 200)
    turn = 2 * math.pi * (x - 22.0) / 126.0
    return [np.stack([x, y + high * (0.5 + 0.42 * np.sin(turn * (2 + 2.5 * (x - 22.0) / 126.0)))], axis=1)]


def _circles(y: float, high: float) -> list[Points]:
    turn = np.linspace(0, 2 * math.pi, 90)
    made, x = [], 26.0
    for radius in (0.45 * high, 0.33 * high, 0.23 * high, 0.14 * high, 0.08 * high):
        x += radius
        made.append(np.stack([x + radius * np.cos(turn), y + high / 2 + radius * np.sin(turn)], axis=1))
        x += radius + 8.0
    return made


def _corners(y: float, high: float) -> list[Points]:
    x, steps = 22.0, []
    for n in range(9):
        up = y + high * (0.1 if n % 2 else 0.9)
        steps += [[x, up], [x + 14.0, up]]
        x += 14.0
    return [np.array(steps)]


def _stars(y: float, high: float) -> list[Points]:
    made = []
    for n, points in enumerate((4, 5, 6, 8)):
        turn = np.arange(2 * points + 1) * math.pi / points
        radius = np.where(np.arange(2 * points + 1) % 2, 0.16, 0.38) * high
        made.append(np.stack([38 + 32 * n + radius * np.sin(turn), y + high / 2 - radius * np.cos(turn)], axis=1))
    return made


def _letters(y: float, high: float) -> list[Points]:
    shapes = set_text("Ember", OTHERWISE).letters
    every = shapely.total_bounds(np.array(shapes, object))
    scale = min(120.0 / (every[2] - every[0]), 0.8 * high / (every[3] - every[1]))
    made = []
    for shape in shapes:
        for part in shapely.get_parts(shape):
            for ring in (part.exterior, *part.interiors):
                xy = shapely.get_coordinates(ring)
                made.append((xy - every[:2]) * scale + [25.0, y + 0.1 * high])
    return made


KINDS: dict[str, Callable[[float, float], list[Points]]] = {
    "straight": _straight,
    "zigzag": _zigzag,
    "waves": _waves,
    "circles": _circles,
    "corners": _corners,
    "stars": _stars,
    "letters": _letters,
}
OF_LEVEL = {
    1: ("straight", "zigzag", "straight", "zigzag"),
    2: ("straight", "zigzag", "waves", "waves"),
    3: ("zigzag", "waves", "circles", "circles"),
    4: ("waves", "circles", "corners", "stars"),
    5: ("circles", "corners", "stars", "letters"),
}


def exercises(level: int) -> tuple[Exercise, ...]:
    """What is sawn at a level, from 1 to 5, row by row. Raises `BadChoice`."""
    if level not in OF_LEVEL:
        raise BadChoice(f"Practice sheets are of level 1 to {len(OF_LEVEL)}, not {level}.")
    rows = OF_LEVEL[level]
    high = (SHEET_MM[1] - 40.0) / len(rows)
    return tuple(
        Exercise(kind, tuple(line.round(3) for line in KINDS[kind](22.0 + i * high, high - 8.0)))
        for i, kind in enumerate(rows)
    )
