"""What was asked beside the window last is what counts."""

from __future__ import annotations

import threading

import pytest

from even_step.app.background import Background


@pytest.fixture
def background(qapp):
    made = Background()
    yield made
    made.close()


def test_what_is_forgotten_is_not_handed_over_though_it_runs_already(background, qtbot):
    began, go_on, got = threading.Event(), threading.Event(), []

    def work():
        began.set()
        go_on.wait(10)
        return "old"

    background.run("topic", work, got.append)
    assert began.wait(10)
    background.forget("topic")
    assert not background.busy
    go_on.set()
    background.run("other", lambda: "new", got.append)
    qtbot.waitUntil(lambda: not background.busy)
    qtbot.wait(50)
    assert got == ["new"]


def test_of_two_under_a_topic_the_later_is_handed_over(background, qtbot):
    got = []
    for answer in (1, 2):
        background.run("topic", lambda answer=answer: answer, got.append)
    qtbot.waitUntil(lambda: not background.busy)
    assert got[-1:] == [2]
