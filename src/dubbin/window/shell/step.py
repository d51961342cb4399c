"""The six steps in the order of the work."""

from __future__ import annotations

from enum import StrEnum


class Step(StrEnum):
    INTAKE = "Intake"
    REPAIR = "Repair"
    EDIT = "Edit"
    VOICE = "Voice"
    BALANCE = "Balance"
    MASTER = "Master"
