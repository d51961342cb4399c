"""Dereverb: the late echo of the room goes down, the voice comes close.

Two steps. Weighted prediction error: what can be predicted of a sub-band from its own past, at least 48 ms ago, is echo and is
subtracted; direct sound and early reflections can't be predicted from so far. Then what late echo remains is taken down, by a mean of
two gains: one from the room's decay, as for a noise, and one of a small network that has heard many rooms (`room_mask`).
Behind the neural denoiser it is given a share of what that took of the room (`wants_rooms`), without which too little of the voice is left
to tell from its echo.
Prediction filters are found in two rounds (`room_filters`), for overlapping stretches, and blended from one to the next, so that the result is the same
wherever one begins to listen.
Frames of 48 ms hop by 16 ms and are predicted from 48 to 480 ms ago. How far away to begin is a trade: from 32 ms on a small
room's early reflections go too, and DNSMOS rises by another 0.06 on demo voices, but a dry recording, which has little
else, loses more of its voice (SI-SDR of a clean voice 32 instead of 38 dB, and 41 from 64 ms on).

Sources: Nakatani, Yoshioka, Kinoshita, Miyoshi and Juang, "Speech dereverberation based on variance-normalized delayed linear
prediction", IEEE TASLP 2010; Lebart, Boucher and Denbigh, "A new method based on spectral subtraction for speech dereverberation",
Acta Acustica 2001. Limits: the room must not change within some seconds; two voices in one microphone halve the effect.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from dubbin.core.jobs import Task
from dubbin.core.sound.source import Samples, Source
from dubbin.core.texts import tr
from dubbin.core.treat.figure import Figure
from dubbin.core.treat.room_filters import find_room
from dubbin.core.treat.room_prediction import RoomFilters, dereverb_stft, predict_away, room_gains
from dubbin.core.treat.settings import setting
from dubbin.core.treat.treatment import Context, Treatment


@dataclass(frozen=True)
class DereverbSettings:
    """How far late echo goes down."""

    depth_db: float = setting(
        8.0,
        3.0,
        24.0,
        "dB",
        tr("Depth"),
        tr("How far late echo that can't be predicted goes down. Deeper is drier and more processed."),
    )


class Dereverb(Treatment):
    """The echo of the room taken down."""

    name: ClassVar[str] = "dereverb"
    title: ClassVar[str] = tr("Echo")
    settings_type: ClassVar[type] = DereverbSettings
    figures: ClassVar[tuple[Figure, ...]] = (Figure("rt60_s", tr("room echo, RT60"), "s", 2, lambda r: r.echo.rt60_s, absent=tr("none")),)
    lead_s: ClassVar[float] = 1.7  # what the network sees before, and what prediction needs before that
    tail_s: ClassVar[float] = 1.1
    wants_rooms: ClassVar[bool] = True

    def analyse(self, source: Source, settings: DereverbSettings, task: Task) -> RoomFilters:
        """The filters that predict late echo from what came before, and its levels, for each channel."""
        return find_room(source, task)

    def process(self, x: Samples, context: Context) -> Samples:
        """x (channels, frames) with late echo predicted away and what is left of it taken down by depth_db at most."""
        stft, found = dereverb_stft(context.rate), context.findings
        out = np.empty_like(x)
        for channel in range(x.shape[0]):
            X = stft.analyse(x[channel])
            powers = predict_away(X, found, channel, stft, context.rate, context.start_frame)
            X *= room_gains(powers, found.levels_db[channel], context.settings.depth_db, stft, context.rate, stft.bins)
            out[channel] = stft.synthesise(X, x.shape[1])
        return out
