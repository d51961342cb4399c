"""From seam to seam: where one goes and what is played, by where the play head is."""

from __future__ import annotations

import pytest

from dubbin.core.episode.time_map import TimeMap
from dubbin.window.player.seam_walk import SeamWalk

# Session frames 0 to 100, 150 to 300 and 400 to 500: seams at program frames 100 and 250.
MAP = TimeMap([(0, 100), (150, 300), (400, 500)])


class Desk:
    """As much of a window as seams need, which writes down what is done."""

    def __init__(self, time_map: TimeMap, head: int) -> None:
        self.map, self.head = time_map, head
        self.played: list[int] = []
        self.seen: list[int] = []

    def set_head(self, frame: int) -> None:
        self.head = frame

    def reveal(self, frame: int) -> None:
        self.seen.append(frame)

    def play_around(self, program_frame: int) -> None:
        self.played.append(program_frame)


def at(head: int, time_map: TimeMap = MAP) -> tuple[Desk, SeamWalk]:
    desk = Desk(time_map, head)
    return desk, SeamWalk(desk, desk, desk, desk)


@pytest.mark.parametrize(
    ("head", "direction", "reached"), [(10, 1, 150), (160, 1, 400), (450, 1, 450), (450, -1, 400), (200, -1, 150), (10, -1, 10)]
)
def test_one_goes_to_the_next_seam_on_either_side_and_stays_where_there_is_none(head, direction, reached):
    desk, walk = at(head)
    walk.go(direction)
    assert desk.head == reached and desk.played == [] and desk.seen == ([reached] if reached != head else [])


@pytest.mark.parametrize(("head", "seam"), [(0, 100), (160, 100), (120, 100), (290, 250), (499, 250)])
def test_the_nearest_seam_is_heard_and_the_play_head_stays(head, seam):
    desk, walk = at(head)
    walk.hear()
    assert desk.played == [seam] and desk.head == head


def test_walking_hears_each_seam_in_turn_and_ends_at_the_last():
    desk, walk = at(0)
    for _ in range(4):
        walk.walk()
    assert desk.played == [100, 250] and desk.head == 400


def test_only_seams_that_are_doubted_are_walked_to():
    desk, walk = at(0)
    assert walk.walk_doubtful(lambda frames: frames == (300, 400))
    assert desk.played == [250] and desk.head == 400
    assert not walk.walk_doubtful(lambda frames: True), "there is none behind it"
    assert desk.played == [250]


def test_a_seam_is_known_by_its_session_frames():
    desk, walk = at(0)
    walk.play(300, 400)
    walk.play(300, 401)
    assert desk.played == [250] and desk.head == 400


def test_where_nothing_is_cut_nothing_happens():
    desk, walk = at(20, TimeMap([(0, 500)]))
    walk.hear()
    walk.walk()
    walk.go(-1)
    assert walk.all() == [] and desk.played == [] and desk.head == 20
