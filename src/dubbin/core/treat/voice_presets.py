"""Starting points for a voice, in plain words: settings of all voice treatments."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from dubbin.core.errors import BadSettings
from dubbin.core.texts import tr


@dataclass(frozen=True)
class VoicePreset:
    """uses: for every treatment that is on its settings, where they differ from the defaults."""

    name: str
    title: str
    help: str
    uses: dict[str, dict[str, Any]] = field(default_factory=dict)


PRESETS: tuple[VoicePreset, ...] = (
    VoicePreset(
        "steady", tr("Steady and plain"), tr("Levels evened out, nothing else changed."),
        {"equalise": {"high_pass_hz": 70.0}, "compress": {"threshold_db": -26.0, "ratio": 2.2, "makeup_db": 3.0}},
    ),
    VoicePreset(
        "close", tr("Close and warm"), tr("As if near the microphone: fuller below, soft on top."),
        {
            "equalise": {"high_pass_hz": 60.0, "low_shelf_hz": 170.0, "low_shelf_db": 2.5, "bell2_hz": 600.0, "bell2_db": -1.5, "bell3_hz": 3200.0, "bell3_db": 1.0},
            "expand": {"range_db": 6.0}, "deess": {}, "compress": {"threshold_db": -28.0, "ratio": 2.5, "attack_ms": 12.0, "makeup_db": 4.0},
        },
    ),
    VoicePreset(
        "clear", tr("Clear over traffic"), tr("For listening on the move: consonants forward, levels tight."),
        {
            "equalise": {"high_pass_hz": 100.0, "bell1_hz": 280.0, "bell1_db": -2.0, "bell3_hz": 2800.0, "bell3_db": 3.0, "high_shelf_hz": 8000.0, "high_shelf_db": 1.5},
            "expand": {"range_db": 9.0}, "deess": {"threshold_db": -2.0}, "compress": {"threshold_db": -30.0, "ratio": 3.5, "attack_ms": 5.0, "release_ms": 90.0, "makeup_db": 6.0},
        },
    ),
    VoicePreset(
        "laptop", tr("Tired laptop microphone"), tr("A small microphone far away: boxiness out, some air in, the room held down."),
        {
            "equalise": {"high_pass_hz": 90.0, "low_shelf_hz": 200.0, "low_shelf_db": 2.0, "bell2_hz": 850.0, "bell2_db": -4.0, "bell2_q": 1.2, "high_shelf_hz": 6500.0, "high_shelf_db": 4.0},
            "expand": {"range_db": 12.0, "threshold_db": -26.0}, "deess": {}, "compress": {"threshold_db": -30.0, "ratio": 2.8, "makeup_db": 5.0},
        },
    ),
)  # fmt: skip


def find_preset(name: str) -> VoicePreset:
    """Raises BadSettings on a name that there is not."""
    for preset in PRESETS:
        if preset.name == name:
            return preset
    raise BadSettings(
        tr("there is no starting point {name!r}; there are: {value}").format(name=name, value=", ".join(p.name for p in PRESETS))
    )
