"""What one listens to: the three sides of every comparison."""

from enum import StrEnum


class MonitorMode(StrEnum):
    """The sides of every comparison: removed is recorded minus treated."""

    RECORDED = "recorded"
    TREATED = "treated"
    REMOVED = "removed"
