"""What is waited for counts at the moment it is so."""

from __future__ import annotations

import pytest

from even_step.app import settled
from even_step.core.errors import EvenStepError


def test_what_was_so_for_a_moment_has_been_waited_for(qapp):
    looks = iter([False, False, True])
    settled.wait_until(lambda: next(looks, False), "a moment")


def test_what_never_comes_is_told_with_what_is_lacking(qapp, monkeypatch):
    monkeypatch.setattr(settled, "PATIENCE", 60)
    with pytest.raises(EvenStepError, match=r"waited too long for the moon \(drawing\)"):
        settled.wait_until(lambda: False, "the moon", lambda: "(drawing)")
