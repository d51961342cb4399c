"""Figures as the JSON documents of the command line, and as lines for people."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from dubbin.core.deliver.proof import Measured, Proof
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr


def report_to_plain(path: Path, report: RecordingReport, remarks: tuple[str, ...]) -> dict[str, Any]:
    """The entry of one file in the document of `check`."""
    return {
        "file": str(path),
        "sample_rate": report.rate,
        "channels": report.channels,
        "duration_s": report.duration_s,
        "loudness": asdict(report.loudness),
        "noise": asdict(report.noise),
        "hum": {
            "present": report.hum.present,
            "fundamental_hz": report.hum.fundamental_hz,
            "level_dbfs": report.hum.level_dbfs,
            "harmonics": report.hum.harmonics,
            "drift_hz": report.hum.drift_hz,
        },
        "tones": asdict(report.tones),
        "clicks": {"count": report.clicks.count, "times_s": list(report.clicks.times_s)},
        "echo": {"rt60_s": report.echo.rt60_s},
        "rumble": {"level_dbfs": report.tone.rumble_dbfs},
        "sibilance": {"excess_db": report.tone.sibilance_excess_db},
        "clipping": {"count": report.clipping.count, "times_s": list(report.clipping.times_s)},
        "dc_offset": report.dc_offset,
        "soft_clipping": {"count": len(report.saturation.times_s), "times_s": list(report.saturation.times_s)},
        "plosives": {"count": report.plosives.count, "times_s": list(report.plosives.times_s)},
        "passing_noises": {"count": len(report.passing.times_s), "a_minute_of_pauses": report.passing.a_minute},
        "dropouts": {"count": report.dropouts.count, "spans_s": [list(s) for s in report.dropouts.spans_s]},
        "channel_faults": asdict(report.channel_faults),
        "bandwidth": asdict(report.bandwidth),
        "findings": [
            {
                "kind": f.kind,
                "title": f.title,
                "text": f.text,
                "severity": f.severity.value,
                "places_s": [list(p) for p in f.places_s],
                "treatment": f.treatment,
                "strength": f.strength if f.treatment else None,
            }
            for f in report.findings
        ],
        "suggested": [asdict(s) for s in report.suggested],
        "remarks": list(remarks),
    }


def measured_to_plain(measured: Measured) -> dict[str, Any]:
    loudness = measured.loudness
    return {
        "integrated_lufs": loudness.integrated_lufs,
        "true_peak_dbtp": loudness.true_peak_dbtp,
        "range_lu": loudness.range_lu,
        "max_short_term_lufs": loudness.max_short_term_lufs,
        "rms_dbfs": measured.rms_dbfs,
        "noise_floor_dbfs": measured.noise_floor_dbfs,
        "head_s": measured.head_s,
        "tail_s": measured.tail_s,
        "sha256": measured.sha256,
        "sample_rate": measured.sample_rate,
        "channels": measured.channels,
        "duration_s": measured.duration_s,
    }


def proof_to_plain(proof: Proof) -> dict[str, Any]:
    return {
        "file": str(proof.file),
        "target": proof.target,
        "measured": measured_to_plain(proof.measured),
        "pass": proof.passes,
        "problems": list(proof.problems),
    }


def figure(value: float | None, unit: str, digits: int = 1) -> str:
    """A figure with its unit; a dash where there was nothing to measure."""
    return "–" if value is None else f"{value:.{digits}f} {unit}".replace("-", "−")


def verdict(passes: bool) -> str:
    """Of a master, or of all of an episode."""
    return tr("passes") if passes else tr("FAILS")


def proof_line(proof: Proof) -> str:
    loudness = proof.measured.loudness
    return tr("{file}: {verdict} {target}: {loudness}, {peak}, range {range_lu}").format(
        file=proof.file,
        verdict=verdict(proof.passes),
        target=proof.target,
        loudness=figure(loudness.integrated_lufs, "LUFS"),
        peak=figure(loudness.true_peak_dbtp, "dBTP"),
        range_lu=figure(loudness.range_lu, "LU"),
    )
