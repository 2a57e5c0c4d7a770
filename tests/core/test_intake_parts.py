"""Parts of label pictures, against scikit-image's labelling."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from skimage import measure

from emberquilt.intake.parts import alike_parts, linked_parts, mask_parts, taken


@settings(max_examples=60, deadline=None)
@given(arrays(np.int32, st.tuples(st.integers(1, 12), st.integers(1, 12)), elements=st.integers(0, 2)))
@pytest.mark.parametrize("nothing", [0, None])
def test_parts_of_labels_are_those_of_another_labelling(nothing, label):
    part, count = alike_parts(label, nothing)
    other, many = measure.label(label, connectivity=1, background=-1 if nothing is None else 0, return_num=True)
    assert count == many
    assert (part == other).all()


@settings(max_examples=40, deadline=None)
@given(arrays(bool, st.tuples(st.integers(2, 10), st.integers(2, 10))))
def test_linked_pixels_are_one_part_however_the_links_run(mask):
    across, down = mask[:, 1:] & mask[:, :-1], mask[1:] & mask[:-1]
    part = linked_parts(across, down)
    other = measure.label(mask, connectivity=1)
    # what is not linked is a part by itself
    assert len(np.unique(part[mask])) == other.max()
    assert len(np.unique(part[~mask])) == (~mask).sum()
    for n in range(1, other.max() + 1):
        assert len(np.unique(part[other == n])) == 1
    count, _, area = mask_parts(mask, 4)
    assert count == other.max() + 1
    assert sorted(area[1:].tolist()) == sorted(np.bincount(other.ravel())[1:].tolist())


def test_values_are_taken_over_blocks_of_rows():
    label = np.arange(700 * 3).reshape(700, 3) % 11
    assert (taken(np.arange(11) ** 2, label) == label**2).all()
