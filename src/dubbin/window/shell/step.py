"""The six steps in the order of the work."""

from __future__ import annotations

from enum import StrEnum

from dubbin.core.texts import mark, tr


class Step(StrEnum):
    INTAKE = mark("Intake")
    REPAIR = mark("Repair")
    EDIT = mark("Edit")
    VOICE = mark("Voice")
    BALANCE = mark("Balance")
    MASTER = mark("Master")

    @property
    def caption(self) -> str:
        """Its name, for people."""
        return tr(self.value)
