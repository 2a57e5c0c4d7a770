"""The boards on the rack, drawn to one scale."""

from collections import defaultdict

from emberquilt.rack.boards import Board
from emberquilt.rack.woods import Shelf
from workshop.stations.faces import tile_url

TALLEST_PX, GAP_PX, LEAST_PX = 160.0, 4.0, 66.0


def rack(boards: tuple[Board, ...], shelf: Shelf, works: list[dict] | tuple = ()) -> list[dict]:
    """Woods with their boards as rectangles in pixels; what the works on the shelf are short of beside them."""
    if not boards:
        return []
    short: dict[str, float] = defaultdict(float)
    for work in works:
        for wood, short_mm2 in work["told"].get("short", {}).items():
            short[wood] = max(short[wood], short_mm2)
    scale = TALLEST_PX / max(b.length_mm for b in boards)
    groups: dict[str, list[Board]] = defaultdict(list)
    for board in boards:
        groups[board.wood].append(board)
    rows = []
    for code, own in groups.items():
        x, boxes = 0.0, []
        for board in own:
            width, height = max(board.width_mm * scale, 5.0), max(board.length_mm * scale, 8.0)
            boxes.append(
                {
                    "board": board,
                    "x": round(x, 1),
                    "y": round(TALLEST_PX - height, 1),
                    "w": round(width, 1),
                    "h": round(height, 1),
                }
            )
            x += width + GAP_PX
        rows.append(
            {
                "wood": shelf[code],
                "tile": tile_url(shelf[code]),
                "boxes": boxes,
                "width": round(max(x, LEAST_PX), 1),
                "area": sum(b.area_mm2 for b in own),
                "count": len(own),
                "short": short.get(code, 0.0),
            }
        )
    return rows
