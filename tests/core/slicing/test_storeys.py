from __future__ import annotations

import numpy as np
import pytest

from even_step.core.slicing.storeys import storeys


def test_storeys_follow_from_the_second_layer_and_what_is_left_lies_by_itself():
    assert storeys(np.full(8, 0.2), 3, 0.64).tolist() == [[1, 2, 3], [4, 5, 6]]


@pytest.mark.parametrize(("highest", "at_once"), [(0.6, 3), (0.59, 2), (0.4, 2)])
def test_no_storey_is_higher_than_a_line_may_be(highest, at_once):
    thick = np.array([0.3, 0.2, 0.2, 0.2, 0.1, 0.1, 0.2])
    found = storeys(thick, 4, highest)
    assert found.shape[1] == at_once
    assert (thick[found].sum(axis=1) <= highest + 1e-9).all()


@pytest.mark.parametrize(
    ("thick", "wanted", "highest"), [((0.2,), 3, 1.0), ((0.2,) * 9, 1, 1.0), ((0.2,) * 9, 3, 0.39)]
)
def test_there_are_none_where_less_than_two_go_together(thick, wanted, highest):
    assert len(storeys(np.array(thick), wanted, highest)) == 0
