"""What is set in Balance: levels that follow the talking, bleed control, beds under the program and how they give way to speech."""

from __future__ import annotations

from dataclasses import dataclass

from dubbin.core.texts import tr
from dubbin.core.treat.settings import setting


@dataclass(frozen=True)
class Levelling:
    """Slow gain towards one loudness; what nobody says has no say in it."""

    on: bool = False
    target_lufs: float = setting(-20.0, -36.0, -10.0, "LUFS", tr("Towards"), tr("Loudness in the program that the voice is brought to."))
    speed_s: float = setting(3.0, 0.5, 30.0, "s", tr("Over"), tr("Time over which the talking is averaged: longer is calmer."))
    range_db: float = setting(8.0, 0.0, 20.0, "dB", tr("Range"), tr("How far the gain may move up or down around the voice's own average."))


@dataclass(frozen=True)
class BleedControl:
    """A microphone is turned down while somebody else speaks, and its own voice does not."""

    on: bool = False
    range_db: float = setting(18.0, 0.0, 60.0, "dB", tr("Range"), tr("How far a microphone goes down while another voice speaks."))
    hold_ms: float = setting(300.0, 20.0, 3000.0, "ms", tr("Hold"), tr("How long it stays open after its own voice."))
    fade_ms: float = setting(
        120.0, 10.0, 1000.0, "ms", tr("Fades"), tr("How long it takes to go down, and to come up before its own voice.")
    )


@dataclass(frozen=True)
class Ducking:
    """Music gives way to speech: down before the first word, up again after the last."""

    on: bool = True
    depth_db: float = setting(14.0, 0.0, 60.0, "dB", tr("Depth"), tr("How far the music goes down under speech."))
    attack_ms: float = setting(
        500.0, 10.0, 5000.0, "ms", tr("Attack"), tr("How long it takes to go down; it is down before the first word.")
    )
    hold_ms: float = setting(
        800.0, 0.0, 10000.0, "ms", tr("Hold"), tr("How long it stays down after a word: pauses shorter than this don't let it up.")
    )
    release_ms: float = setting(1500.0, 10.0, 10000.0, "ms", tr("Release"), tr("How long it takes to come up again."))


@dataclass(frozen=True)
class Bed:
    """A lane that lies under the program and not in the session: it sounds on over every cut.

    from_frame: where it begins in its recording. frames: how long it sounds in the program; 0: to the end of its recording, or of the program where
    it is repeated. loop: begins again until it has sounded for so long.
    """

    from_frame: int = 0
    frames: int = 0
    loop: bool = False


@dataclass(frozen=True, order=True)
class LinePoint:
    """A point of a lane's hand-drawn level: at a frame of its recording, in dB; straight in between."""

    frame: int
    db: float
