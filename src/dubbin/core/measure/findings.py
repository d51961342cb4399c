"""What the figures of a recording mean, in words, with places and with the treatment that would answer each."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from dubbin.core.measure.echo import echo_strength
from dubbin.core.measure.finding import Finding, Severity, Span
from dubbin.core.measure.report import RecordingReport

# What nobody minds: below these figures nothing is said.
CLEAN_FLOOR_DB, CLEAN_SNR_DB = -72.0, 52.0
LOW_SNR_DB = 25.0
CLEAN_RUMBLE_DB, STRONG_RUMBLE_DB = -56.0, -42.0
DRY_RT60_S, LONG_RT60_S = 0.28, 0.6
CLICKS_A_MINUTE, FEWEST_CLICKS = 12.0, 8
FEWEST_CLIPPED = 3
UNHEARD_HUM_DB = 52.0  # below speech: of speech at 60 dB SPL, under the threshold of hearing for low tones (ISO 226)
OFFSET = 0.002
SHORTEST_S = 0.5  # of a sound whose mean says anything
USUAL_SIBILANCE_DB, SHARP_DB = 2.0, 6.0
FEWEST_PLOSIVES = 3
MOMENT_S = 0.02  # a click has no length to speak of; on the lanes it gets this one


def _graded(value: float, clear: float, severe: float) -> Severity:
    return Severity.SEVERE if value >= severe else Severity.AUDIBLE if value >= clear else Severity.MINOR


def _moments(times_s: tuple[float, ...]) -> tuple[Span, ...]:
    return tuple((t, t + MOMENT_S) for t in times_s)


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def find_findings(report: RecordingReport) -> tuple[Finding, ...]:
    """All findings of a recording, those with a treatment first, in the order in which treatments are applied."""
    out: list[Finding] = []
    minutes = max(report.duration_s / 60.0, 1e-3)
    _add_clipping(report, minutes, out)
    _add_clicks(report, minutes, out)
    hum = report.hum
    if hum.present and hum.fundamental_hz is not None and hum.level_dbfs is not None and _is_heard(hum.level_dbfs, report):
        drift = f", drifting by {hum.drift_hz:.2f} Hz" if hum.drift_hz and hum.drift_hz >= 0.02 else ""
        text = f"mains hum at {hum.fundamental_hz:.2f} Hz and {_count(hum.harmonics - 1, 'harmonic')}, {hum.level_dbfs:.1f} dBFS{drift}"
        out.append(Finding("hum", "Hum", text, _graded(hum.level_dbfs, -66.0, -45.0), treatment="dehum"))
    _add_rumble(report, out)
    _add_noise(report, out)
    rt60 = report.echo.rt60_s
    if rt60 is not None and rt60 > DRY_RT60_S:
        strength = echo_strength(rt60)
        text = f"the room rings for {rt60:.2f} s (RT60)"
        severity = _graded(rt60, 0.4, LONG_RT60_S)
        out.append(Finding("echo", "Room echo", text, severity, treatment="dereverb", strength=strength))
    _add_untreated(report, out)
    return tuple(replace(finding, text=re.sub(r"-(?=\d)", "−", finding.text)) for finding in out)


def _is_heard(level_dbfs: float, report: RecordingReport) -> bool:
    """Whether a tone is anything to a listener who hears the speech at its usual level."""
    floor, snr = report.noise.floor_dbfs, report.noise.snr_db
    return floor is None or snr is None or level_dbfs > floor + snr - UNHEARD_HUM_DB


def _add_clipping(report: RecordingReport, minutes: float, out: list[Finding]) -> None:
    clipping, bent = report.clipping, report.saturation.times_s
    if clipping.count >= FEWEST_CLIPPED:
        below = f", turned down to {20 * np.log10(clipping.ceiling):.1f} dBFS since" if clipping.ceiling < 0.97 else ""
        text = f"clipped at {_count(clipping.count, 'place')}{below}"
        severity = _graded(clipping.count / minutes, 6.0, 60.0)
        out.append(Finding("clipping", "Clipping", text, severity, _moments(clipping.times_s), "declip"))
    elif len(bent) >= FEWEST_CLIPPED:
        text = f"crests bent over at {_count(len(bent), 'place')} (soft clipping)"
        severity = _graded(len(bent) / minutes, 30.0, 200.0)
        out.append(Finding("clipping", "Soft clipping", text, severity, _moments(bent), "declip"))


def _add_clicks(report: RecordingReport, minutes: float, out: list[Finding]) -> None:
    a_minute = report.clicks.count / minutes
    if report.clicks.count >= FEWEST_CLICKS and a_minute >= CLICKS_A_MINUTE:
        text = f"{report.clicks.count} clicks, {a_minute:.0f} a minute"
        severity = _graded(a_minute, 20.0, 90.0)
        out.append(Finding("clicks", "Clicks", text, severity, _moments(report.clicks.times_s), "declick"))


def _add_rumble(report: RecordingReport, out: list[Finding]) -> None:
    rumble, plosives = report.tone.rumble_dbfs, report.plosives
    loud = rumble is not None and rumble > CLEAN_RUMBLE_DB and not report.hum.present
    if plosives.count >= FEWEST_PLOSIVES or loud:
        parts = []
        if loud and rumble is not None:
            parts.append(f"{rumble:.1f} dBFS below 65 Hz")
        if plosives.count >= FEWEST_PLOSIVES:
            parts.append(f"{plosives.count} plosives or knocks")
        severity = _graded(rumble if loud and rumble is not None else -60.0, -50.0, STRONG_RUMBLE_DB)
        if plosives.count >= FEWEST_PLOSIVES:
            severity = max(severity, Severity.AUDIBLE, key=list(Severity).index)
        places = tuple((t, t + 0.12) for t in plosives.times_s)
        out.append(Finding("rumble", "Rumble", ", ".join(parts), severity, places, "derumble"))


def _add_noise(report: RecordingReport, out: list[Finding]) -> None:
    floor, snr = report.noise.floor_dbfs, report.noise.snr_db
    if floor is not None and snr is not None and floor > CLEAN_FLOOR_DB and snr < CLEAN_SNR_DB:
        strength = int(np.clip(round(100 - (snr - 20.0) * 0.8), 70, 100))
        text = f"noise floor {floor:.1f} dBFS, speech {snr:.0f} dB above it"
        severity = _graded(-snr, -40.0, -LOW_SNR_DB)
        out.append(Finding("noise", "Noise", text, severity, treatment="denoise", strength=strength))


def _add_untreated(report: RecordingReport, out: list[Finding]) -> None:
    """Findings that no repair answers: for the person to know."""
    channels = report.channel_faults
    names = ("left", "right") if report.channels == 2 else tuple(f"channel {k + 1}" for k in range(report.channels))
    for channel in channels.silent:
        out.append(Finding("silent-channel", "Silent channel", f"{names[channel]} holds nothing", Severity.SEVERE))
    for a, b in channels.inverted:
        text = f"{names[a]} and {names[b]} have opposite polarity: together they cancel"
        out.append(Finding("inverted", "Inverted channel", text, Severity.SEVERE))
    for a, b in channels.same:
        out.append(Finding("same-channels", "Same twice", f"{names[a]} and {names[b]} are the same", Severity.MINOR))
    if report.dropouts.count:
        longest = max(b - a for a, b in report.dropouts.spans_s)
        text = f"{_count(report.dropouts.count, 'drop-out')}, the longest {1000 * longest:.0f} ms"
        severity = _graded(report.dropouts.count, 2, 10)
        out.append(Finding("dropouts", "Drop-outs", text, severity, report.dropouts.spans_s))
    if abs(report.dc_offset) > OFFSET and report.duration_s >= SHORTEST_S:
        text = f"samples lie {100 * report.dc_offset:.1f} % off the zero line"
        derumble = all(f.treatment != "derumble" for f in out)
        severity = _graded(abs(report.dc_offset), 0.01, 0.05)
        out.append(Finding("dc-offset", "DC offset", text, severity, treatment="derumble" if derumble else None))
    limit = report.bandwidth.limit_hz
    if limit is not None:
        text = f"nothing above {limit / 1000:.1f} kHz: coded, or recorded at a lower rate"
        severity = _graded(-limit, -12000.0, -5000.0)
        out.append(Finding("bandwidth", "Narrow band", text, severity))
    sharp = report.tone.sibilance_excess_db
    if sharp is not None and sharp > USUAL_SIBILANCE_DB and report.noise.snr_db is not None:
        text = f"s-sounds {sharp:.1f} dB sharper than usual: for the Voice step"
        out.append(Finding("sibilance", "Sibilance", text, _graded(sharp, 4.0, SHARP_DB)))
