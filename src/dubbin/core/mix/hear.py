"""What one listens to: the three sides of every comparison."""

from enum import StrEnum


class Hear(StrEnum):
    RECORDED = "recorded"
    TREATED = "treated"
    RESIDUE = "residue"
