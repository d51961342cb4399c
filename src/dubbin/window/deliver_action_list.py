"""The actions of what goes through all steps or comes out at the end: run the card, recipes, clips, stems, video."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dubbin.window.actions import Action
from dubbin.window.card_run import CardRun
from dubbin.window.deliver_acts import DeliverActs
from dubbin.window.desk import Desk
from dubbin.window.lanes.selection import Selection


@dataclass(frozen=True)
class DeliverTools:
    card: CardRun
    show_card: Callable[[], None]
    acts: DeliverActs


def make_deliver_actions(desk: Desk, selection: Selection, tools: DeliverTools) -> list[Action]:
    acts = tools.acts

    def has_lanes() -> bool:
        return bool(desk.episode.lanes)

    return [
        Action("run-card", "Episode", "Run the card …", ("Ctrl+R",), tools.show_card, has_lanes),
        Action("clip", "Episode", "Make a clip of the selection …", (), acts.choose_clip, lambda: selection.range is not None),
        Action("stems", "Episode", "Write stems …", (), acts.choose_stems, has_lanes),
        Action("into-video", "Episode", "Put the sound into its video …", (), acts.choose_video, acts.has_videos),
        Action("save-recipe", "Episode", "Save as a recipe …", (), acts.choose_recipe_to_save, has_lanes),
        Action("apply-recipe", "Episode", "Take a recipe over …", (), acts.choose_recipe, has_lanes),
    ]
