from __future__ import annotations

import numpy as np
import pytest

from even_step.core.plane import region


def test_an_empty_region_has_no_centre_and_those_beside_it_have_theirs():
    regions = np.array([region.rectangle(0, 0, 2, 2), region.EMPTY, region.rectangle(4, 4, 6, 6)], object)
    found = region.centres(regions)
    assert found[0] == pytest.approx([1, 1])
    assert np.isnan(found[1]).all()
    assert found[2] == pytest.approx([5, 5])
