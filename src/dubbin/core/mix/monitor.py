"""What one listens to: the three sides of every comparison."""

from enum import StrEnum


class MonitorMode(StrEnum):
    RECORDED = "recorded"
    TREATED = "treated"
    REMOVED = "removed"
