"""Whatever state verbs can reach is shown, planned and exported."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from emberquilt.work.change import applied
from emberquilt.work.verbs import edit
from tests.walks import SPATIAL, open_everything, small_work, steps, walk


@settings(max_examples=40)
@given(st.sampled_from(["one", "sheet", "three", *SPATIAL]), st.lists(steps(), min_size=1, max_size=6))
def test_every_state_that_verbs_reach_can_be_opened(kind, path):
    open_everything(walk(small_work(kind), path))


@pytest.mark.parametrize("kind", ["one", "sheet", "three", *SPATIAL])
def test_a_layer_of_openings_only_can_be_opened(kind):
    work = small_work(kind)
    made = edit(work, "overlay", [p.key for p in work.usual_layer.without_openings.pieces], {"how": "move"})
    open_everything(applied(work, made))
