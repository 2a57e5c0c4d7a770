"""Decisions travel with edits: what was drawn follows the picture, what was said of pieces goes to their heirs, and
what loses its subject is said and not kept."""

import json

import numpy as np
import pytest
import shapely

from emberquilt.keys import keys_in
from emberquilt.work.composition import Placement
from emberquilt.work.decisions import Decisions, Flow, from_pins
from tests.conftest import composition, edited, findings_of, grid
from tests.walks import small_work


def line(*points) -> str:
    return json.dumps(points)


def decided():
    """Twelve squares of 30 mm with an anchor, first cuts, a flow line, a palette and a pack."""
    work = composition(grid(4, 3), {k: "walnut" if k < 7 else "cherry" for k in range(1, 13)})
    work = edited(work, "anchor", [6])
    work = edited(work, "saw_first", [7, 8])
    work = edited(work, "flow", [1, 2, 5, 6], points=line((0, 30), (60, 60)))
    work = edited(work, "palette_keep", name="First")
    return edited(work, "pack", woods="walnut,maple")


def test_a_flow_line_is_scaled_mirrored_and_shifted_with_the_picture():
    (before,) = decided().decisions.wood.flows
    (scaled,) = edited(decided(), "resize", width="240 mm").decisions.wood.flows
    assert np.array(scaled.line) == pytest.approx(2 * np.array(before.line))
    (mirrored,) = edited(decided(), "mirror").decisions.wood.flows
    assert np.array(mirrored.line) == pytest.approx(np.array(before.line) * [-1, 1] + [120, 0])
    # the left column goes, and the picture begins at its new edge
    narrower = edited(decided(), "drop", [1, 5, 9])
    (shifted,) = narrower.decisions.wood.flows
    assert np.array(shifted.line) == pytest.approx(np.array(before.line) - [30, 0])
    assert set(keys_in(shifted.keys)) == {2, 6}
    # where it runs beside the pieces is the same as before
    for work, (flow,) in ((decided(), (before,)), (narrower, (shifted,))):
        outline = work.layers[0].coverage.by_key[6]
        assert shapely.LineString(flow.line).intersects(outline)


def test_what_is_joined_hands_its_decisions_on():
    joined = edited(decided(), "join", [6, 7])
    (left,) = [key for key in (6, 7) if key in joined.by_key]
    assert joined.decisions.assembly.anchors == (left,)
    assert joined.decisions.saw.first == (left, 8)
    assert joined.decisions.whole.lost == ()
    assert findings_of(joined, "assembly") == []


def test_what_is_cut_in_two_keeps_its_decisions_on_both_halves():
    cut = edited(decided(), "split", [6], points=line((45, 28), (45, 62)))
    (new,) = set(cut.by_key) - set(decided().by_key)
    assert cut.decisions.assembly.anchors == (6,)
    assert {6, new} <= set(keys_in(cut.decisions.wood.flows[0].keys))
    (palette,) = cut.decisions.wood.palettes
    assert new in {key for _, keys in palette.woods for key in keys_in(keys)}


def test_what_loses_its_subject_is_said_and_seen_once():
    work = edited(decided(), "drop", [9, 10, 11, 12])
    assert work.decisions.whole.lost == ()
    gone = edited(edited(work, "drop", [5, 6, 7, 8]), "drop", [1, 2])
    assert gone.decisions.assembly.anchors == gone.decisions.saw.first == gone.decisions.wood.flows == ()
    said = [
        f for station in ("assembly", "saw", "wood") for f in findings_of(gone, station) if f.code == "decision-gone"
    ]
    assert [f.sentence.split(".")[0] for f in said] == [
        "Your anchor is gone with its piece",
        "A piece that was to be sawn first or last is gone",
        "A flow line is gone with the last piece that followed it",
    ]
    for finding in said:
        gone = edited(gone, "accept", finding=finding.id)
    assert gone.decisions.whole.lost == ()
    assert gone.accepted == {}


def test_an_anchor_speaks_for_its_own_layer():
    """An anchor in another layer said "your anchor" there too, once."""
    from emberquilt.plan import Plan

    work = edited(decided(), "overlay", [1, 2], how="copy")
    front = work.layers[1].pieces
    plan = Plan(work)
    assert plan.glue.by_part["6"].reason == "your anchor"
    first = next(step for step in plan.glue.steps if step.piece in {p.key for p in front})
    assert first.reason == "anchor"
    both = edited(work, "anchor", [front[1].key])
    assert both.decisions.assembly.anchors == (6, front[1].key)
    assert Plan(both).glue.by_part[str(front[1].key)].reason == "your anchor"
    moved = edited(both, "anchor", [5])
    assert set(moved.decisions.assembly.anchors) == {5, front[1].key}


def test_an_overlay_that_is_lifted_off_takes_its_decisions_with_it():
    lifted = edited(decided(), "overlay", [6], how="move")
    (new,) = [p.key for p in lifted.layers[1].pieces]
    assert lifted.decisions.assembly.anchors == (new,)
    assert new in keys_in(lifted.decisions.wood.flows[0].keys)


def test_layers_take_their_decisions_with_them():
    work = small_work("three")
    assert work.decisions.relief.stand_off_mm(3) == 5.0
    dropped = edited(work, "drop_layer", layer=3)
    assert dropped.decisions.relief.stand_offs == ()
    assert [lost.station for lost in dropped.decisions.whole.lost] == ["relief"]


def test_places_on_boards_belong_to_copies():
    work = small_work("three")
    second = edited(work, "place", [4], board="C1", x="200", y="60", copy="2")
    assert second.placements["4/2"] == Placement("C1", 200.0, 60.0)
    assert "4" not in second.placements
    fewer = edited(second, "wood", [4], wood="walnut")
    assert "4/2" not in fewer.placements
    assert "2" in fewer.placements


def test_decisions_are_the_same_as_plain_values_and_back():
    for work in (decided(), small_work("three"), composition(grid(1, 1))):
        told = json.loads(json.dumps(work.decisions.as_dict()))
        assert Decisions.from_dict(told) == work.decisions
    assert Decisions().as_dict() == {}
    now, then = Decisions(), decided().decisions
    assert now.changed(now.different(then)) == then
    assert set(now.different(then)) == {"wood", "saw", "assembly"}


def test_loose_pins_of_earlier_versions_are_read():
    pins = {
        "anchor": 3,
        "saw_first": [1, 2],
        "accepted": {"melts:1,2": "one body"},
        "start": "2026-12-01",
        "mirrored": True,
        "flows": [{"line": [[0, 0], [5, 5]], "keys": "1-3"}],
        "pack": {"woods": ["walnut", "maple"], "turn": {"4": 1}},
        "look": {"gloss": "raw"},
    }
    decided = from_pins(pins, 7)
    assert decided.assembly.anchors == (3,)
    assert decided.wood.flows == (Flow(((0.0, 0.0), (5.0, 5.0)), "1-3"),)
    assert (decided.wood.packs[0].layer, decided.wood.packs[0].turn) == (7, {4: 1})
    assert from_pins({}) == Decisions()
