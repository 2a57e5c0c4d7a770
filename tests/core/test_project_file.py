"""A project file is read whole or refused whole, whatever stands in it."""

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from emberquilt.errors import BadProject
from emberquilt.formats.project import Project, read_planned, read_project, write_project
from tests.nasty import WRONG, places, project_file, sound_document
from tests.walks import open_everything, small_work, state

SOUND = sound_document()
PLACES = [place for place in places(SOUND) if place]


@settings(max_examples=100)
@given(st.sampled_from(PLACES), st.sampled_from(WRONG))
@example(("decisions", "calendar", "start"), '"2026-02-31"')
@example(("decisions", "calendar", "start"), '"0000-00-00"')
@example(("decisions", "wood", "flows", 0, "keys"), '"9-1"')
@example(("decisions", "assembly", "anchors", 0), str(2**64))
@example(("layers", 0, "pieces", 0, "thickness_mm"), "NaN")
@example(("width_mm",), "Infinity")
@example(("log", 0, "at"), '"0001-01-01T00:00:00+14:00"')
@example(("log", 0, "minutes"), "1e999")
@example(("layers", 0, "pieces", 0, "key"), "1.0")
@example(("name",), '"\\ud800"')
def test_one_wrong_value_is_refused_or_does_no_harm(place, wrong):
    try:
        read = read_planned(project_file(SOUND, place, wrong))
    except BadProject:
        return
    open_everything(read.composition)


@pytest.mark.parametrize(
    ("place", "wrong"),
    [
        (("decisions", "calendar", "start"), '"2026-02-31"'),
        (("decisions", "calendar", "start"), '"9999-12-31"'),
        (("decisions", "wood", "flows", 0, "keys"), '"9-1"'),
        (("decisions", "wood", "palettes", 0, "woods", 0, 1), '"9-1"'),
        (("layers", 1, "pieces", 0, "key"), str(2**64)),
        (("layers", 1, "pieces", 0, "shim_mm"), "NaN"),
        (("height_mm",), "1e999"),
        (("log", 0, "at"), '"0001-01-01T00:00:00+14:00"'),
    ],
)
def test_what_is_refused(place, wrong):
    with pytest.raises(BadProject):
        read_planned(project_file(SOUND, place, wrong))


def test_the_sound_document_is_read():
    assert read_planned(project_file(SOUND)).composition.decisions.assembly.anchors == (5,)


def test_rings_and_layers_of_openings_return():
    """An overlay may be a ring with nothing in it; a layer may hold only openings."""
    from emberquilt.work.change import applied
    from emberquilt.work.verbs import edit

    work = small_work("sheet")
    made = applied(work, edit(work, "overlay", [1, 3], {"how": "move"}))
    back = read_project(write_project(Project(made, "2026-11-25T10:00:00"))).composition
    assert [layer.openings for layer in back.layers] == [(1, 2, 3), ()]
    assert state(back)[-1] == state(made)[-1]
