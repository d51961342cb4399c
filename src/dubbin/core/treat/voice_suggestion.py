"""What a voice asks for by its own figures: settings of its voice treatments, to begin with."""

from __future__ import annotations

from typing import Any

import numpy as np

from dubbin.core.measure.report import RecordingReport
from dubbin.core.measure.spectrum import Spectrum
from dubbin.core.measure.voice_tone import suggest_tone
from dubbin.core.treat.compressor import CompressorSettings, Detection, static_gain_db

HIGH_PASS_HZ = 70.0
# Peaks of vowels stand so far over the loudness of a voice: those of the softer ones, at which the compressor sets in, and of the usual ones,
# by whose reduction the make-up is chosen (measured on demo and natural speech).
PEAKS_OVER_DB, USUAL_PEAKS_OVER_DB = 5.0, 13.0
RATIO, ATTACK_MS = 3.0, 2.0
SHARP_DB = 1.5  # excess of sibilance from which a de-esser is suggested
DEESSED_DB, DEESS_THRESHOLD_DB = 6.0, -2.0  # by how much a de-esser takes sharp ones down, set so
MORE_THAN_VOWELS_DB, MOST_SIBILANTS_DB, FEW_SIBILANTS_DB = 1.5, 20.0, -12.0
HEARD_ROOM_DB = 50.0  # under the voice; a softer room needs no expander
OVER_FLOOR_DB, LEAST_UNDER_DB, MOST_UNDER_DB = 10.0, 15.0, 45.0  # of the expander's threshold
GAP_RANGE_DB = 6.0


def suggest_voice(report: RecordingReport, spectrum: Spectrum | None) -> dict[str, dict[str, Any]]:
    """For each treatment that is suggested its settings, where they differ from the defaults.

    report, spectrum: of the voice after its repairs.
    """
    tone: dict[str, Any] = {"high_pass_hz": HIGH_PASS_HZ}
    if spectrum is not None:
        for idea in suggest_tone(spectrum, None, report.bandwidth.limit_hz):
            tone |= {f"{idea.filter}_hz": idea.hz, f"{idea.filter}_db": idea.db}
    level = report.loudness.integrated_lufs if report.loudness.integrated_lufs is not None else -24.0
    compress: dict[str, Any] = {
        "threshold_db": min(max(round(level + PEAKS_OVER_DB, 1), -50.0), -3.0), "ratio": RATIO, "attack_ms": ATTACK_MS,
        "detection": Detection.PEAK.value,
    }  # fmt: skip
    sibilance = report.tone.sibilance_db
    sharp = (report.tone.sibilance_excess_db or 0.0) > SHARP_DB
    behind = FEW_SIBILANTS_DB if sibilance is None else sibilance - (DEESSED_DB if sharp else 0.0)
    compress["sibilants_db"] = round(float(np.clip(MORE_THAN_VOWELS_DB - behind, 0.0, MOST_SIBILANTS_DB)), 1)
    settings = CompressorSettings(threshold_db=compress["threshold_db"], ratio=RATIO)
    compress["makeup_db"] = round(-float(static_gain_db(level + USUAL_PEAKS_OVER_DB, settings)), 1)
    out = {"equalise": tone, "compress": compress}
    if sharp:
        out["deess"] = {"threshold_db": DEESS_THRESHOLD_DB}
    if report.noise.snr_db is not None and report.noise.snr_db < HEARD_ROOM_DB:
        under = min(max(report.noise.snr_db - OVER_FLOOR_DB, LEAST_UNDER_DB), MOST_UNDER_DB)
        out["expand"] = {"threshold_db": round(-under, 1), "range_db": GAP_RANGE_DB}
    return out
