import pytest
from hypothesis import given
from hypothesis import strategies as st

from emberquilt.colour import words_of
from emberquilt.errors import BadChoice, BadLength
from emberquilt.practice import LIMITS, Practice
from emberquilt.units import EXACT_MM, Length, exact_length, format_area, format_length, format_minutes

TYPED = [
    ("15 1/2", "in", 393.7),
    ("15-1/2 in", "mm", 393.7),
    ('15 1/2"', "mm", 393.7),
    ("15½ in", "mm", 393.7),
    ("390mm", "in", 390.0),
    ("39 cm", "in", 390.0),
    ("0.39 m", "in", 390.0),
    ("39,5 cm", "in", 395.0),
    ("3/4", "in", 19.05),
    ("1' 6", "mm", 457.2),
    ("1 ft 6 in", "mm", 457.2),
    ("2ft", "mm", 609.6),
    ("  18   in ", "mm", 457.2),
    ("12", "mm", 12.0),
    ("12", "in", 304.8),
    ("0.5 in", "mm", 12.7),
    (".5 in", "mm", 12.7),
    (",5 in", "mm", 12.7),
    ("1,000 mm", "in", 1000.0),
    ("1,000", "mm", 1000.0),
    ("1,234,567.5 mm", "mm", 1_234_567.5),
    ("1.234,5 mm", "mm", 1234.5),
    ("1 000 mm", "mm", 1000.0),
    ("0,125 in", "mm", 3.175),
    ("12,75 mm", "mm", 12.75),
    ("1.250 in", "mm", 31.75),
]


@pytest.mark.parametrize(("text", "unit", "mm"), TYPED)
def test_lengths_as_people_type_them(text, unit, mm):
    assert Length.parse(text, unit).mm == pytest.approx(mm, abs=1e-9)


@pytest.mark.parametrize(
    "text", ["", "abc", "-3", "1/0", "3 parsecs", "1 2 3", "1/2/3", "in", "12 in mm", "nan", "1e5", "9" * 50]
)
def test_what_is_no_length_ends_in_a_sentence(text):
    with pytest.raises(BadLength) as problem:
        Length.parse(text, "mm")
    assert str(problem.value).endswith((".", "mm."))
    assert len(str(problem.value)) > 15


@given(st.integers(0, 40_000), st.sampled_from([8, 16, 32, 64]))
def test_inches_survive_being_shown_and_typed_again(ticks, denominator):
    mm = ticks * 25.4 / denominator
    shown = format_length(mm, "in", denominator)
    assert Length.parse(shown, "mm").mm == pytest.approx(mm, abs=1e-9)


@given(st.floats(0.05, 5000))
def test_millimetres_are_shown_to_a_tenth(mm):
    assert abs(Length.parse(format_length(mm, "mm"), "in").mm - mm) <= 0.05 + 1e-9


@given(st.floats(0.01, 5000), st.sampled_from(["in", "mm"]), st.sampled_from([8, 16, 32, 64]))
def test_what_a_field_shows_comes_back_as_it_was(mm, unit, denominator):
    shown = exact_length(mm, unit, denominator)
    assert abs(Length.parse(shown, "ft").mm - mm) <= EXACT_MM + 1e-9


@pytest.mark.parametrize(
    ("mm", "unit", "shown"),
    [
        (19.05, "in", "3/4 in"),
        (19.0, "in", "19 mm"),
        (149.4, "in", "149.4 mm"),
        (19.049999999999997, "in", "3/4 in"),
        (19.049999999999997, "mm", "19.05 mm"),
        (0.396875, "in", "1/64 in"),
        (0, "in", "0 in"),
    ],
)
def test_fields_show_fractions_only_where_they_are_true(mm, unit, shown):
    assert exact_length(mm, unit) == shown


@pytest.mark.parametrize("unit", ["in", "mm"])
def test_a_form_sent_back_unchanged_changes_nothing(unit):
    kept = Practice(unit=unit, ruler_across_mm=149.4, ruler_down_mm=149.12345, shim_inset_mm=4.0, neck_mm=5.1)
    sent = {name: kept.written(getattr(kept, name)) for name in LIMITS if name.endswith("_mm")}
    assert kept.changed(**kept.typed(**sent)) == kept
    assert kept.changed(**kept.typed(**sent | {"neck_mm": "6 mm"})).neck_mm == 6.0


def test_three_quarters_of_an_inch_are_19_05():
    assert Length.parse("3/4 in").mm == 19.05
    assert Length.parse("0.75", "in").mm == 19.05
    typed = Practice(stock_mm=12.0)
    assert typed.changed(**typed.typed(stock_mm="3/4 in")).stock_mm == 19.05


def test_names_that_are_no_practice_are_refused():
    for name in ("self", "changed", "__class__"):
        with pytest.raises(BadChoice, match="no practice"):
            Practice().changed(**Practice().typed(**{name: "1"}))


def test_a_bare_number_cannot_be_added_to_a_length():
    assert Length(2.0) + Length(3.0) == Length(5.0)
    assert 2 * Length(3.0) - Length(1.0) == Length(5.0)
    with pytest.raises(TypeError):
        Length(2.0) + 3.0


@pytest.mark.parametrize(
    ("minutes", "words"), [(0, "0 min"), (4.6, "4.5 min"), (59.6, "1 h"), (61, "1 h 1 min"), (600, "10 h")]
)
def test_minutes_in_shop_words(minutes, words):
    assert format_minutes(minutes) == words


def test_areas_in_both_units():
    assert format_area(645.16, "in") == "1.0 in²"
    assert format_area(645.16, "mm") == "6.5 cm²"


@pytest.mark.parametrize(
    ("keyword", "code", "words"),
    [
        # keywords and their values: CSS Color Module Level 4, named colours
        ("black", "#000000", "black"),
        ("silver", "#c0c0c0", "light grey"),
        ("gray", "#808080", "grey"),
        ("white", "#ffffff", "white"),
        ("red", "#ff0000", "red"),
        ("darkred", "#8b0000", "dark red"),
        ("pink", "#ffc0cb", "pink"),
        ("orange", "#ffa500", "orange"),
        ("saddlebrown", "#8b4513", "brown"),
        ("yellow", "#ffff00", "yellow"),
        ("green", "#008000", "green"),
        ("lightgreen", "#90ee90", "light green"),
        ("teal", "#008080", "blue-green"),
        ("blue", "#0000ff", "blue"),
        ("navy", "#000080", "dark blue"),
        ("skyblue", "#87ceeb", "light blue"),
        ("violet", "#ee82ee", "violet"),
    ],
)
def test_colours_are_called_as_their_keywords_say(keyword, code, words):
    assert words_of(code) == words
