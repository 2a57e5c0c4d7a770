import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from emberquilt.errors import BadChoice, BadLength, EmberError
from emberquilt.practice import CHOICES, LIMITS, LISTS, Practice
from emberquilt.work.verbs import edit
from tests.conftest import composition, edited, grid

BARE = {"grain_deg": None, "thickness_mm": None}


def fresh(**piece):
    return composition(grid(3, 1), {}, **(BARE | piece))


def test_a_first_wood_brings_an_arrow_along_the_piece():
    made = edit(fresh(), "wood", [1], {"wood": "walnut"})
    assert made.pieces[1]["wood"] == "walnut"
    assert made.pieces[1]["grain_deg"] % 90 == pytest.approx(0)
    assert made.label == "wood of 1"
    again = edit(fresh(grain_deg=12.0), "wood", [1, 2, 3], {"wood": "walnut"})
    assert again.pieces == {k: {"wood": "walnut"} for k in (1, 2, 3)}
    assert again.label == "wood of 3 pieces"


def test_the_nearest_wood_to_each_colour():
    from dataclasses import replace

    from emberquilt.rack.woods import wood

    work = fresh()
    layer = work.usual_layer.without_openings
    colours = {1: wood("padauk").finished, 2: wood("blue_pine").finished, 3: ""}
    pieces = tuple(replace(p, colour=colours[p.key]) for p in layer.pieces)
    work = replace(work, layers=(replace(layer, pieces=pieces),))
    made = edit(work, "nearest", [1, 2, 3], {})
    assert {k: v["wood"] for k, v in made.pieces.items()} == {1: "padauk", 2: "blue_pine"}
    with pytest.raises(BadChoice, match="no colour"):
        edit(work, "nearest", [3], {})


def test_an_edit_names_only_what_changes():
    assert edit(composition(grid(2, 1), "walnut"), "wood", [1, 2], {"wood": "walnut"}).is_empty


@pytest.mark.parametrize(
    ("verb", "values", "deg"),
    [
        ("grain", {"deg": "30"}, 30),
        ("grain", {"deg": "-15°"}, 345),
        ("grain", {"deg": "725"}, 5),
        ("turn", {"by": "15"}, 25),
        ("turn", {"by": "-15"}, 355),
    ],
)
def test_arrows_turn_round_the_circle(verb, values, deg):
    made = edit(fresh(grain_deg=10.0), verb, [2], values)
    assert made.pieces[2]["grain_deg"] == pytest.approx(deg)


def test_the_arrow_beside_comes_from_the_longest_seam():
    from dataclasses import replace

    work = fresh()
    layer = work.usual_layer.without_openings
    pieces = tuple(replace(p, grain_deg=77.0 if p.key == 1 else None) for p in layer.pieces)
    work = replace(work, layers=(replace(layer, pieces=pieces),))
    assert edit(work, "beside", [2], {}).pieces == {2: {"grain_deg": 77.0}}
    assert edit(fresh(), "beside", [2], {}).is_empty


@pytest.mark.parametrize(("text", "mm"), [("1/2 in", 12.7), ("12 mm", 12.0), ("3/4", 19.05)])
def test_thickness_as_typed_in_the_shops_unit(text, mm):
    assert edit(fresh(), "thickness", [1], {"length": text}).pieces[1] == {"thickness_mm": pytest.approx(mm)}
    assert edit(fresh(shim_mm=1.0), "shim", [1], {"length": text}).pieces[1] == {"shim_mm": pytest.approx(mm)}


def test_lifting_adds_to_the_shim_and_never_goes_below_the_backer():
    assert edit(fresh(), "lift", [1], {"by_mm": "1.5"}).pieces[1] == {"shim_mm": 1.5, "thickness_mm": 19.05}
    assert edit(fresh(shim_mm=1.0, thickness_mm=10.0), "lift", [1], {"by_mm": "-5"}).pieces[1] == {"shim_mm": 0.0}
    assert edit(fresh(shim_mm=3.0, thickness_mm=10.0), "thicken", [1], {}).pieces[1] == {
        "thickness_mm": 13.0,
        "shim_mm": 0.0,
    }


def test_decisions_are_kept_station_by_station():
    def decided(verb, keys=(), **values):
        return edit(fresh(), verb, list(keys), values).composition["decisions"]

    assert decided("anchor", [2]) == {"assembly": {"anchors": [2]}}
    assert decided("saw_first", [3, 1]) == {"saw": {"first": [3, 1]}}
    accepted = decided("accept", finding="melts:1,2", reason="one body")
    assert accepted == {"whole": {"accepted": {"melts:1,2": "one body"}}}
    assert decided("start", start="2026-12-01") == {"calendar": {"start": "2026-12-01"}}
    assert decided("copies", count="6") == {"whole": {"copies": 6}}


def test_practice_can_be_typed():
    made = edit(fresh(), "practice", [], {"stock_mm": "1/2 in", "glue": "epoxy"}).composition["practice"]
    assert (made["stock_mm"], made["glue"]) == (12.7, "epoxy")
    assert edit(fresh(), "practice", [], {"hours": {"mon": "9-12"}}).composition["practice"]["hours"] == {"mon": "9-12"}


BAD = [
    ("wood", [1], {"wood": "unobtainium"}),
    ("wood", [], {"wood": "walnut"}),
    ("wood", [99], {"wood": "walnut"}),
    ("grain", [1], {"deg": "north"}),
    ("grain", [1], {"deg": "nan"}),
    ("grain", [1], {}),
    ("turn", [1], {"by": "1e9"}),
    ("thickness", [1], {"length": "0"}),
    ("thickness", [1], {"length": "abc"}),
    ("thickness", [1], {"length": "4 m"}),
    ("thickness", [1], {"mm": "-2"}),
    ("shim", [1], {"length": ""}),
    ("lift", [1], {"by_mm": "much"}),
    ("anchor", [1, 2], {}),
    ("accept", [], {}),
    ("start", [], {"start": "soon"}),
    ("practice", [], {"glue": "chewing gum"}),
    ("practice", [], {"coats": "many"}),
    ("practice", [], {"coats": "-1"}),
    ("practice", [], {"nonsense": "1"}),
    ("practice", [], {"hours": {"mon": "late"}}),
    ("rename", [], {"name": "   "}),
    ("copies", [], {"count": "0"}),
    ("copies", [], {"count": "a dozen"}),
    ("stand_off", [], {"mm_off": "5 mm"}),
    ("rails", [], {"material": "gold"}),
    ("base", [], {"material": "cherry", "base_length": "9 m"}),
    ("stack_layers", [], {}),
    ("stack_copies", [], {"high": "40"}),
    ("juggle", [1], {}),
]


@pytest.mark.parametrize(("verb", "keys", "values"), BAD)
def test_what_makes_no_sense_ends_in_a_sentence(verb, keys, values):
    with pytest.raises(EmberError) as problem:
        edit(fresh(), verb, keys, values)
    assert isinstance(problem.value, BadChoice | BadLength)
    first = str(problem.value)[0]
    assert first == "“" or first.isupper() or first.isdigit()


def test_small_verbs():
    assert edit(fresh(), "part", [1], {"part": "  left   fin "}).pieces[1] == {"part": "left fin"}
    assert edit(fresh(), "along", [1], {}).pieces[1]["grain_deg"] % 90 == pytest.approx(0)
    assert edit(fresh(), "rename", [], {"name": "A pear"}).composition == {"name": "A pear"}
    first = edited(fresh(), "saw_first", [1, 2])
    assert edited(first, "saw_in_turn", [1]).decisions.saw.first == (2,)
    accepted = edited(fresh(), "accept", finding="x")
    assert edited(accepted, "open_again", finding="x").accepted == {}
    assert edited(accepted, "open_again", finding="y").accepted == accepted.accepted


def test_practice_bounds_and_choices_name_real_fields():
    fields = {f.name for f in dataclasses.fields(Practice)}
    assert set(CHOICES) | set(LIMITS) | set(LISTS) | {"hours", "blades", "helpers", "off"} == fields
    assert Practice.from_dict({"glue": "ca", "forgotten": 3}).glue == "ca"
    for name, (low, high) in LIMITS.items():
        assert low <= getattr(Practice(), name) <= high
        with pytest.raises(BadChoice):
            Practice().changed(**{name: high * 2 + 1})


@given(st.data())
def test_what_a_field_shows_is_what_is_kept_when_it_comes_back(data):
    name = data.draw(st.sampled_from(sorted(LIMITS)))
    low, high = LIMITS[name]
    kind = st.integers if isinstance(low, int) else st.floats
    unit = data.draw(st.sampled_from(["in", "mm"]))
    practice = Practice(unit=unit).changed(**{name: data.draw(kind(low, high))})
    assert practice.changed(**practice.typed(**{name: practice.in_field(name)})) == practice


@pytest.mark.parametrize(("text", "share"), [("12 %", 0.12), ("12", 0.12), ("0.12", 0.12), ("7.5%", 0.075), ("0", 0.0)])
def test_a_share_is_typed_in_hundredths_or_as_it_is(text, share):
    practice = Practice()
    made = practice.changed(**practice.typed(fee_share=text))
    assert made.fee_share == pytest.approx(share)
    assert made.in_field("fee_share") == f"{100 * share:g} %"


@pytest.mark.parametrize("text", ["", "much", "nan", "90 %", "-3 %", "1e999", "%"])
def test_a_share_that_is_none_is_told(text):
    practice = Practice()
    with pytest.raises(BadChoice, match=r"is not a number for fee share|Fee share must lie between 0 % and 70 %"):
        practice.changed(**practice.typed(fee_share=text))
