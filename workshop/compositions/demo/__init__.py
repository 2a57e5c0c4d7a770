"""The demo's pictures, drawn and planned through the same actions as anybody's."""

from pathlib import Path

FOLDER = Path(__file__).parent

ACORN = {"file": "acorn.svg", "name": "An acorn", "width": "6 in"}

LANTERN = {
    "file": "lantern.jpg",
    "name": "The lantern",
    "width": "12 in",
    "knobs": {"kind": "photo", "tones": "6", "by": "colour", "smallest_mm": "8 mm"},
}

LIGHTHOUSE = {
    "file": "lighthouse.svg",
    "name": "Lighthouse at dusk",
    "width": "9 1/2 in",
    "knobs": {"kind": "painted"},
    "thickness": "1/4 in",
    "copies": "6",
    # from the back: name, wood, paint, note, and whether its edge is trimmed flush
    "sheets": [
        ("Sky", "ply_birch", "#f0b46c", "back, it carries the rest", "yes"),
        ("Far hills", "cherry", "", "", "yes"),
        ("Sea", "mahogany", "", "", "yes"),
        ("Headland and light", "walnut", "", "", "yes"),
        ("Rocks", "wenge", "", "stays proud, in front of the edge", "no"),
    ],
}

PLAQUE = {
    "file": "words.txt",
    "words": "TINDER LANE\n14",
    "name": "House plaque",
    "width": "16 in",
    "knobs": {"kind": "text", "font": "hepta-slab", "outline": "oval", "margin_mm": "1/2 in"},
}

# sawn out of one board with the table tilted: the pear rises in it, and the light on the pear out of the pear
PEAR = {
    "file": "pear.svg",
    "name": "A pear",
    "width": "8 in",
    # a place in mm on the 8 in board, the part's name, its wood, grain, and how far it rises
    "pieces": [
        ((20, 20), "board", "poplar", 90, ""),
        ((110, 190), "pear", "poplar", 90, "3/8 in"),
        ((70, 165), "light on it", "poplar", 90, ""),
        ((97, 45), "stem", "poplar", 90, "3/8 in"),
        ((142, 36), "leaf", "poplar", 90, "3/8 in"),
    ],
    "stock": "3/4 in",
}

TWO_KOI = {
    "file": "two-koi-lines.svg",
    "name": "Two koi",
    "width": "18 in",
    # part: places in mm on the 18 in sheet, then wood and grain in degrees (None: along the piece)
    "parts": [
        ("dark water", [(99, 30), (256, 138), (29, 160)], "walnut", 4),
        ("dark water", [(436, 19), (429, 170), (439, 255), (158, 256), (10, 265)], "walnut", 172),
        ("dark water", [(19, 290), (423, 289)], "walnut", 14),
        ("light water", [(311, 70), (48, 92), (446, 112)], "blue_pine", 2),
        ("light water", [(93, 187), (402, 222)], "blue_pine", 170),
        ("white koi", [(142, 69)], "aspen", 178),
        ("white koi", [(223, 64), (248, 87)], "aspen", 166),
        ("white koi", [(287, 92), (309, 129)], "aspen", 142),
        ("white koi", [(182, 60), (257, 66), (275, 103)], "padauk", 168),
        ("white koi, fins", [(177, 26), (209, 111), (384, 154), (365, 199)], "aspen", None),
        ("white koi, fins", [(210, 22), (223, 99), (354, 165)], "maple", None),
        ("yellow koi, head", [(315, 240)], "yellowheart", 12),
        ("yellow koi", [(234, 246), (200, 241)], "yellowheart", 162),
        ("yellow koi", [(182, 204), (149, 179)], "yellowheart", 138),
        ("yellow koi, tail", [(105, 143), (94, 109)], "yellowheart", None),
        ("yellow koi", [(172, 216), (210, 222)], "ebony", 150),
        ("yellow koi, ring", [(275, 249)], "walnut", 5),
        ("yellow koi, fins", [(244, 198), (280, 282)], "yellowheart", None),
        ("yellow koi, fins", [(75, 154), (231, 210), (254, 282)], "cherry", None),
        ("white koi, eyes", [(117, 66), (126, 88)], "ebony", 90),
        ("yellow koi, eyes", [(331, 222), (340, 243)], "ebony", 90),
        ("lily pads", [(333, 23), (376, 67), (407, 47), (429, 80), (402, 102)], "poplar", None),
        ("lily pads", [(35, 232), (83, 252), (50, 265)], "poplar", None),
        ("lotus", [(112, 215), (96, 232), (128, 232)], "maple", None),
        ("lotus", [(99, 219), (125, 219)], "cherry", None),
    ],
    # a whole part in front of another, or level with it
    "orders": [
        ("light water", "dark water", ""),
        ("lily pads", "light water", ""),
        ("lotus", "light water", ""),
        ("white koi, fins", "light water", ""),
        ("yellow koi, fins", "light water", ""),
        ("white koi", "white koi, fins", ""),
        ("yellow koi, tail", "yellow koi, fins", ""),
        ("yellow koi", "yellow koi, tail", ""),
        ("yellow koi, ring", "yellow koi, fins", ""),
        ("yellow koi, ring", "yellow koi", "yes"),
        ("white koi", "yellow koi", "yes"),
        ("yellow koi, head", "yellow koi, ring", ""),
        ("white koi, eyes", "white koi", ""),
        ("yellow koi, eyes", "yellow koi, head", ""),
    ],
    "one_body": ("white koi", "yellow koi", "yellow koi, head", "yellow koi, tail"),
    "sawn": 24,
}

# photos of two of the boards: corners, and a place on the white paper, as shares of the photo; knots as rings on the
# face in mm
PHOTOS = [
    {
        "board": "W1",
        "file": "board-walnut.jpg",
        "length": "34 in",
        "width": "8 in",
        "marks": {
            "corners": [[0.08, 0.33], [0.93, 0.29], [0.9533, 0.64], [0.0633, 0.62]],
            "patch": [[0.13, 0.14]],
            "reference": "white",
        },
        "defects": [("knot", [[618, 60], [628, 46], [645, 44], [662, 52], [664, 68], [650, 78], [630, 76]])],
    },
    {
        "board": "C1",
        "file": "board-cherry.jpg",
        "length": "31 in",
        "width": "7 in",
        "marks": {
            "corners": [[0.1, 0.3], [0.9067, 0.34], [0.9267, 0.69], [0.08, 0.66]],
            "patch": [[0.13, 0.14]],
            "reference": "white",
        },
        "defects": [
            ("knot", [[162, 130], [170, 118], [192, 118], [200, 132], [188, 143], [168, 142]]),
            ("knot", [[546, 50], [554, 41], [570, 42], [575, 52], [562, 60]]),
        ],
    },
]
# pieces laid on boards: a place on the picture, the board, and where on it (mm)
PLACED = [
    ((99, 30), "W1", 190, 100),
    ((29, 160), "W1", 330, 60),
    ((275, 249), "W1", 440, 110),
    ((99, 219), "C1", 60, 60),
    ((125, 219), "C1", 100, 60),
]
PALETTES = [
    ("Cherry water", {"blue_pine": "cherry", "cherry": "mahogany"}),
    ("Night pond", {"blue_pine": "bog_oak", "poplar": "hackberry"}),
]

BOARDS = [
    ("walnut", "W1", "34 in", "8 in", "13/16 in"),
    ("walnut", "W2", "24 in", "5 1/2 in", "13/16 in"),
    ("walnut", "W3", "29 in", "4 in", "1/2 in"),
    ("blue_pine", "B1", "40 in", "10 1/2 in", "3/4 in"),
    ("blue_pine", "B2", "22 in", "4 1/2 in", "3/4 in"),
    ("aspen", "A1", "33 in", "6 1/2 in", "13/16 in"),
    ("aspen", "A2", "26 in", "6 1/2 in", "3/4 in"),
    ("maple", "M1", "26 in", "6 in", "13/16 in"),
    ("yellowheart", "Y1", "20 in", "4 1/2 in", "13/16 in"),
    ("padauk", "P1", "17 in", "4 in", "13/16 in"),
    ("padauk", "P2", "24 in", "4 in", "3/4 in"),
    ("cherry", "C1", "31 in", "7 in", "13/16 in"),
    ("poplar", "G1", "36 in", "9 in", "3/4 in"),
    ("ebony", "E1", "10 in", "2 in", "13/16 in"),
    ("ebony", "E2", "4 in", "1 1/2 in", "1 1/4 in"),
    ("maple", "M2", "12 in", "4 5/8 in", "13/16 in"),
    ("cherry", "C4", "11 in", "4 3/8 in", "13/16 in"),
    ("aspen", "A3", "11 in", "4 3/4 in", "3/4 in"),
    ("poplar", "G2", "13 in", "5 in", "3/4 in"),
    ("yellowheart", "Y2", "9 in", "3 3/4 in", "13/16 in"),
    # thin panels, glued up, and a sheet: what the lighthouse is made of
    ("ply_birch", "Q1", "60 in", "30 in", "1/4 in"),
    ("ply_birch", "Q2", "30 in", "24 in", "1/8 in"),
    ("cherry", "C2", "44 in", "10 in", "1/4 in"),
    ("cherry", "C3", "44 in", "10 in", "1/4 in"),
    ("mahogany", "H1", "48 in", "10 in", "1/4 in"),
    ("mahogany", "H2", "30 in", "10 in", "1/4 in"),
    ("walnut", "W4", "48 in", "11 in", "1/4 in"),
    ("walnut", "W5", "48 in", "11 in", "1/4 in"),
    ("wenge", "D1", "40 in", "10 in", "1/4 in"),
]
OFFCUTS = ("W2", "B2", "P1", "E2", "M2", "C4", "A3", "G2", "Y2")

PRICES = {
    "wage": "24",
    "overhead_hour": "3.5",
    "blade_price": "0.6",
    "sheet_price": "1.2",
    "glue_price": "2.4",
    "finish_price": "6.5",
    "extras_price": "3",
    "fee_share": "0.12",
}
"""What things cost at Tinder Lane: invented."""
WOOD_PRICES = {
    "walnut": "14",
    "maple": "8.5",
    "cherry": "10",
    "aspen": "6",
    "poplar": "5",
    "yellowheart": "16",
    "padauk": "19",
    "blue_pine": "7",
    "ply_birch": "2.6",
    "basswood": "6.5",
}
