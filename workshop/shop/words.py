"""The practice in the words of the page."""

from collections.abc import Iterable

from emberquilt.practice import CHOICES, LIMITS, LISTS, Practice

WORDS = {
    "ruler_across_mm": "The check page's 150 mm print across as",
    "ruler_down_mm": "and down as",
    "print_margin_mm": "The printer leaves white",
    "throat_mm": "Throat of the saw",
    "section_mm": "Boards go to the saw in sections up to",
    "planer_long_mm": "The planer takes nothing shorter than",
    "planer_wide_mm": "and nothing wider than",
    "planer_thin_mm": "The planer planes no thinner than",
    "planing_mm": "Planed off a resawn slice",
    "resaw_high_mm": "The band saw resaws up to (0: none)",
    "resaw_kerf_mm": "Its kerf",
    "lengths_sold_mm": "Boards are sold in lengths of",
    "widths_sold_mm": "Boards are sold in widths of",
    "sheets_sold_mm": "Sheets (half as wide) in lengths of",
    "unit": "Lengths in",
    "denominator": "Fractions down to 1/",
    "paper": "Paper",
    "blade_school": "Blade",
    "one_blade": "The one size, where one is used",
    "blade_kind": "Blades are",
    "fit": "Saw",
    "gap_mm": "The gap, where one is wanted",
    "accents": "Lines that free nothing are sawn",
    "opens_mm": "The saw takes packs up to",
    "square_deg": "The blade is off square by, degrees",
    "stock_mm": "Usual stock",
    "stocks_mm": "Stock is milled to",
    "shims_mm": "Sheets at hand for shims",
    "least_step_mm": "A step at least",
    "greatest_step_mm": "A step at most",
    "sanding_mm": "Left for sanding",
    "table_down": "The saw's table tilts:",
    "humid_low": "Driest air, % humidity",
    "humid_high": "Dampest air, % humidity",
    "shim_inset_mm": "Shims stay inside by",
    "board_use": "Share of a board that becomes pieces",
    "part_gap_mm": "Between parts on a board",
    "edge_gap_mm": "From a board's edge and flaws",
    "grain_within_deg": "Parts may turn off their arrow by, degrees",
    "saw_mm_per_minute": "Feed in 3/4 in cherry, mm a minute",
    "minutes_per_cut": "Minutes to set up a cut",
    "hold_mm": "Safe to hold from",
    "neck_mm": "Judge necks under",
    "reads_de": "Colours read as two from (dE00)",
    "turn_apart_deg": "A turned grain reads from, degrees",
    "glue": "Glue",
    "seconds_per_piece": "Seconds to lay a piece",
    "glue_small": "For tiny parts",
    "glue_seams": "Pieces are glued",
    "least_glue_mm2": "A contact gets glue from, mm²",
    "drop_mm": "A part drops in with room of",
    "shop_c": "The shop is at, °C (or 68 F)",
    "shop_humid": "and at, % humidity",
    "spring_clamps": "Spring clamps",
    "screw_clamps": "Screw clamps",
    "clamp_reach_mm": "A clamp reaches in by",
    "clamp_apart_mm": "Clamps stand apart by",
    "cauls": "Cauls",
    "weights": "Weights of 5 kg",
    "sand_bags": "Sand bags",
    "pairs": "Two parts of one outline are sawn",
    "prime": "A primer goes on",
    "used": "The work will be",
    "paper_off": "The pattern comes off",
    "anchor": "Anchor",
    "align": "Parts find their place by",
    "backer_inset_mm": "Backer inside by",
    "backer_mm": "Backer thick",
    "backer_material": "Backer of",
    "shim_material": "Shims and spacers of",
    "repeat_share": "A further copy takes, of the first",
    "fit_minutes": "Minutes to fit a piece",
    "shape_minutes": "Minutes to shape a piece",
    "finish": "Finish",
    "finish_when": "Finish when",
    "coats": "Coats",
}


TABLES = ("blades",)
"""What is typed as lines of text, in a form of its own."""


def fields_of(practice: Practice, names: Iterable[str]) -> list[dict]:
    """What a form needs of each named practice."""
    return [
        {
            "name": name,
            "words": WORDS[name],
            "value": getattr(practice, name),
            "choices": CHOICES.get(name),
            "is_length": name in LIMITS and name.endswith("_mm"),
            "is_list": name in LISTS,
        }
        for name in names
    ]
