"""Parts cut open at a height before they are sliced."""

from __future__ import annotations

import numpy as np
import pytest

from even_step.core.cut_open import NO_ZONE, cut_faces
from even_step.core.job.model import Copy
from even_step.core.stages import StageCache
from even_step.core.work import ALONE
from tests.core.slicing.zone_help import block, zone, zoned


def areas(faces):
    """Area by zone."""
    a, b, c = (faces.corners[:, i].astype(float) for i in range(3))
    u, v = b - a, c - a
    each = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) / 2
    return {int(one): float(each[faces.zone == one].sum()) for one in np.unique(faces.zone)}


def test_a_cut_shows_each_zone_where_it_lies_and_the_later_over_the_earlier(tmp_path):
    wide, small = zone((5, 10, 6), (30, 30, 4)), zone((10, 10, 6), (4, 4, 40))
    job = zoned(tmp_path, block(20, 20, 12), [wide, small])
    whole = areas(cut_faces(job, 2.0, ALONE, StageCache()))
    assert whole == pytest.approx({NO_ZONE: 384.0, 1: 16.0}, rel=1e-4)
    both = areas(cut_faces(job, 6.0, ALONE, StageCache()))
    assert both == pytest.approx({0: 384.0, 1: 16.0}, rel=1e-4)
    assert cut_faces(job, 6.0, ALONE, StageCache()).corners.mean(axis=(0, 1)) == pytest.approx((110, 110), abs=5)
    assert len(cut_faces(job, 30.0, ALONE, StageCache()).corners) == 0


def test_copies_that_are_hidden_have_no_face(tmp_path):
    job = zoned(tmp_path, block(20, 20, 12), [])
    (part,) = job.parts
    two = part.copies[0].model_copy(update={"at": (50.0, 50.0)}), Copy(at=(100.0, 50.0), hidden=True)
    job = job.model_copy(update={"parts": (part.model_copy(update={"copies": two}),)})
    faces = cut_faces(job, 6.0, ALONE, StageCache())
    assert areas(faces) == pytest.approx({NO_ZONE: 400.0})
    assert faces.corners[..., 0].max() < 61.0


def test_a_ball_is_as_wide_as_the_cut_goes_through_it(tmp_path):
    held = zone((10, 10, 6), (10, 10, 10), shape="ball")
    job = zoned(tmp_path, block(20, 20, 12), [held])
    for height in (2.0, 6.0, 9.5):
        radius2 = 25.0 - (height - 6.0) ** 2
        found = areas(cut_faces(job, height, ALONE, StageCache()))
        assert found[0] == pytest.approx(np.pi * radius2, rel=0.02)
        assert sum(found.values()) == pytest.approx(400.0)
