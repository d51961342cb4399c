"""The document that is open, and which of its lanes is picked."""

from __future__ import annotations

from dubbin.core.episode.document import Document
from dubbin.core.episode.model import Episode, Lane


class OpenEpisode:
    """Holds the one reference to the document: who asks here never looks at an episode that was closed."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.picked_id: str | None = None

    @property
    def episode(self) -> Episode:
        """The present episode; the preview while there is one."""
        return self.document.episode

    @property
    def picked_lane(self) -> Lane | None:
        """The lane that the job card is about; the first, unless another was picked."""
        lanes = self.episode.lanes
        return next((lane for lane in lanes if lane.id == self.picked_id), lanes[0] if lanes else None)
