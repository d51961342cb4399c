"""Actions: one list for menus, context menus, command search and shortcuts."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QStyle

from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.parts.action import Action, ActionButton, ActionList, ContextMenu, Menu
from dubbin.window.shell.card_panel import CARD_W
from dubbin.window.shell.step import Step
from tests.window.conftest import put_down


def action(id: str, group: str = "cuts", menu: Menu = Menu.EDIT, **more) -> Action:
    return Action(id, menu, group, f"Do {id}", more.pop("keys", ()), more.pop("run", lambda: None), **more)


def test_no_two_actions_share_an_id():
    actions = ActionList()
    with pytest.raises(ValueError, match="two actions"):
        actions.add([action("a"), action("a")])


def test_a_context_menu_takes_the_actions_that_ask_for_it():
    actions = ActionList()
    actions.add([action("a"), action("b", on=(ContextMenu.WORDS,)), action("c", on=(ContextMenu.LANES, ContextMenu.WORDS))])
    assert [a.id for a in actions.on(ContextMenu.WORDS)] == ["b", "c"] and [a.id for a in actions.on(ContextMenu.LANES)] == ["c"]


def test_a_button_does_what_its_menu_entry_does(qtbot):
    done: list[str] = []
    actions = ActionList()
    actions.add([action("a", keys=("Ctrl+A", "A"), run=lambda: done.append("a"))])
    button = ActionButton(actions, "a", "Short")
    qtbot.addWidget(button)
    button.click()
    assert done == ["a"] and button.text() == "Short" and button.toolTip() == "Do a (Ctrl+A)"


# -- of the real window -----------------------------------------------------------------


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    return shared_window


def test_undo_names_what_it_undoes(window):
    window.actions_by_id["mute"].run()
    window.menus.refresh()
    assert window.menus.by_id["undo"].text().startswith("Undo: Mute")
    window.actions_by_id["undo"].run()
    window.menus.refresh()
    assert window.menus.by_id["undo"].text() == "Undo" and window.menus.by_id["redo"].text().startswith("Redo: Mute")


def test_an_action_that_can_not_be_done_is_not_run(window):
    window.selection.clear()
    cut = window.actions_by_id["cut"]
    before = window.session.episode
    assert not cut.enabled()
    window.menus.run(cut)
    assert window.session.episode is before


@pytest.mark.parametrize("place", ContextMenu)
def test_context_menus_offer_playing_cutting_and_putting_back(window, place):
    ids = [a.id for a in window.actions_by_id.on(place)]
    assert {"play", "cut", "put-back", "copy", "bleep", "insert-break"} <= set(ids)


def test_mute_and_solo_are_of_the_picked_lane(window):
    second = window.session.episode.lanes[1]
    window.session.pick_lane(second.id)
    window.actions_by_id["mute"].run()
    window.actions_by_id["solo"].run()
    lane = window.session.episode.lane(second.id)
    assert lane.mute and lane.solo and not window.session.episode.lanes[0].mute


def test_lanes_are_picked_from_top_to_bottom_and_no_further(window):
    lanes = [lane.id for lane in window.session.episode.lanes]
    window.session.pick_lane(lanes[0])
    seen = []
    for _ in range(len(lanes) + 1):
        seen.append(window.session.picked_lane.id)
        window.actions_by_id["lane-down"].run()
    assert seen == [*lanes, lanes[-1]]
    window.actions_by_id["lane-up"].run()
    assert window.session.picked_lane.id == lanes[-2]


def test_the_selection_follows_the_keys(window):
    rate, frames = window.session.episode.rate, window.session.episode.frames
    window.navigation.go(10 * rate)
    window.actions_by_id["mark-start"].run()
    assert window.selection.range == (10 * rate, frames)
    window.navigation.go(12 * rate)
    window.actions_by_id["mark-end"].run()
    assert window.selection.range == (10 * rate, 12 * rate)
    window.actions_by_id["extend-on"].run()
    assert window.selection.range == (10 * rate, round(12.1 * rate)) and window.selection.head == round(12.1 * rate)
    window.actions_by_id["zoom-selection"].run()
    assert window.view.x_of(10 * rate) > 0 and window.view.x_of(round(12.1 * rate)) < window.view.width
    window.actions_by_id["select-all"].run()
    assert window.selection.range == (0, frames)


def test_the_head_never_leaves_the_session(window):
    for id, frame in (("end", window.session.episode.frames - 1), ("on", window.session.episode.frames - 1), ("start", 0), ("back", 0)):
        window.actions_by_id[id].run()
        assert window.selection.head == frame


@pytest.mark.parametrize("step", list(Step))
def test_nothing_on_a_job_card_is_cut_off_at_its_right_edge(window, qtbot, step):
    """Also beside the scroll bar, and by night, whose type is the same."""
    window.resize(1280, 800)
    window.go_step(step)
    qtbot.waitUntil(lambda: window.pages[step].card.isVisible())
    beside_bar = CARD_W - window.style().pixelMetric(QStyle.PixelMetric.PM_ScrollBarExtent)
    assert window.pages[step].card.minimumSizeHint().width() <= beside_bar
