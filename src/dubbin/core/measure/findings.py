"""What the figures of a recording mean, in words, with places and with the treatment that would answer each."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from dubbin.core.figures import number
from dubbin.core.measure.echo import echo_strength
from dubbin.core.measure.finding import Finding, Severity, Span
from dubbin.core.measure.passing_noises import all_is_looked_at
from dubbin.core.measure.report import RecordingReport
from dubbin.core.texts import tr, tr_count

# What nobody minds: below these figures nothing is said.
CLEAN_FLOOR_DB, CLEAN_SNR_DB = -72.0, 52.0
BESIDE_DB = 1.0  # by which hum and rumble must raise a floor to be spoken of
LOW_SNR_DB = 25.0
CLEAN_RUMBLE_DB, STRONG_RUMBLE_DB = -56.0, -42.0
DRY_RT60_S, LONG_RT60_S = 0.28, 0.6
CLICKS_A_MINUTE, FEWEST_CLICKS = 12.0, 8
FEWEST_CLIPPED = 3
UNHEARD_HUM_DB = 52.0  # below speech: of speech at 60 dB SPL, under the threshold of hearing for low tones (ISO 226)
SPEECH_DB_SPL = 60.0  # at which people listen
NAMED_TONES = 4
OFFSET = 0.002
SHORTEST_S = 0.5  # of a sound whose mean says anything
USUAL_SIBILANCE_DB, SHARP_DB = 2.0, 6.0
FEWEST_PLOSIVES = 3
MOMENT_S = 0.02  # a click has no length to speak of; on the lanes it gets this one


def _graded(value: float, clear: float, severe: float) -> Severity:
    return Severity.SEVERE if value >= severe else Severity.AUDIBLE if value >= clear else Severity.MINOR


def _moments(times_s: tuple[float, ...]) -> tuple[Span, ...]:
    return tuple((t, t + MOMENT_S) for t in times_s)


def find_findings(report: RecordingReport) -> tuple[Finding, ...]:
    """All findings of a recording, those with a treatment first, in the order in which treatments are applied."""
    out: list[Finding] = []
    minutes = max(report.duration_s / 60.0, 1e-3)
    _add_clipping(report, minutes, out)
    _add_clicks(report, minutes, out)
    hum = report.hum
    if hum.present and hum.fundamental_hz is not None and hum.level_dbfs is not None and _is_heard(hum.level_dbfs, report):
        drift = tr(", drifting by {drift_hz} Hz").format(drift_hz=number(hum.drift_hz, 2)) if hum.drift_hz and hum.drift_hz >= 0.02 else ""
        harmonics = tr_count("{count} harmonic", "{count} harmonics", hum.harmonics - 1)
        text = tr("mains hum at {fundamental_hz} Hz and {harmonics}, {level_dbfs} dBFS{drift}").format(
            fundamental_hz=number(hum.fundamental_hz, 2), harmonics=harmonics, level_dbfs=number(hum.level_dbfs), drift=drift
        )
        out.append(Finding("hum", tr("Hum"), text, _graded(hum.level_dbfs, -66.0, -45.0), treatment="dehum"))
    _add_tones(report, out)
    _add_rumble(report, out)
    _add_passing(report, out)
    _add_noise(report, out)
    rt60 = report.echo.rt60_s
    if rt60 is not None and rt60 > DRY_RT60_S:
        strength = echo_strength(rt60)
        text = tr("the room rings for {rt60} s (RT60)").format(rt60=number(rt60, 2))
        severity = _graded(rt60, 0.4, LONG_RT60_S)
        out.append(Finding("echo", tr("Room echo"), text, severity, treatment="dereverb", strength=strength))
    _add_untreated(report, out)
    return tuple(replace(finding, text=re.sub(r"-(?=\d)", "−", finding.text)) for finding in out)


def _is_heard(level_dbfs: float, report: RecordingReport, frequency_hz: float | None = None) -> bool:
    """Whether a tone, or hum, is anything to a listener who hears the speech at its usual level."""
    floor, snr = report.noise.floor_dbfs, report.noise.snr_db
    unheard = UNHEARD_HUM_DB if frequency_hz is None else SPEECH_DB_SPL - threshold_in_quiet(frequency_hz)
    return floor is None or snr is None or level_dbfs > floor + snr - unheard


def threshold_in_quiet(frequency_hz: float) -> float:
    """The softest tone that is heard, in dB SPL. Source: Terhardt, "Calculating virtual pitch" (Hearing Research 1, 1979)."""
    f = frequency_hz / 1000.0
    return float(3.64 * f**-0.8 - 6.5 * np.exp(-0.6 * (f - 3.3) ** 2) + 1e-3 * f**4)


def _add_tones(report: RecordingReport, out: list[Finding]) -> None:
    tones = report.tones
    heard = [(f, level) for f, level in zip(tones.frequencies_hz, tones.levels_dbfs, strict=True) if _is_heard(level, report, f)]
    if not heard:
        return
    named = [number(f, 0) for f, _ in sorted(sorted(heard, key=lambda one: -one[1])[:NAMED_TONES])]
    level = 10.0 * np.log10(sum(10.0 ** (level / 10.0) for _, level in heard))
    text = tr_count(
        "steady tone at {places} Hz, {level} dBFS", "{count} steady tones ({places} Hz), {level} dBFS", len(heard),
        places=", ".join(named) + (" …" if len(heard) > len(named) else ""), level=number(level),
    )  # fmt: skip
    out.append(Finding("tones", tr("Steady tones"), text, _graded(level, -70.0, -50.0), treatment="dehum"))


def _add_clipping(report: RecordingReport, minutes: float, out: list[Finding]) -> None:
    clipping, bent = report.clipping, report.saturation.times_s
    if clipping.count >= FEWEST_CLIPPED:
        below = (
            tr(", turned down to {log10} dBFS since").format(log10=number(20 * np.log10(clipping.ceiling)))
            if clipping.ceiling < 0.97
            else ""
        )
        text = tr_count("clipped at {count} place", "clipped at {count} places", clipping.count) + below
        severity = _graded(clipping.count / minutes, 6.0, 60.0)
        out.append(Finding("clipping", tr("Clipping"), text, severity, _moments(clipping.times_s), "declip"))
    elif len(bent) >= FEWEST_CLIPPED:
        text = tr_count(
            "crests bent over at {count} place (soft clipping)", "crests bent over at {count} places (soft clipping)", len(bent)
        )
        severity = _graded(len(bent) / minutes, 30.0, 200.0)
        out.append(Finding("clipping", tr("Soft clipping"), text, severity, _moments(bent), "declip"))


def _add_clicks(report: RecordingReport, minutes: float, out: list[Finding]) -> None:
    a_minute = report.clicks.count / minutes
    if report.clicks.count >= FEWEST_CLICKS and a_minute >= CLICKS_A_MINUTE:
        text = tr("{count} clicks, {a_minute} a minute").format(count=report.clicks.count, a_minute=number(a_minute, 0))
        severity = _graded(a_minute, 20.0, 90.0)
        out.append(Finding("clicks", tr("Clicks"), text, severity, _moments(report.clicks.times_s), "declick"))


def _add_rumble(report: RecordingReport, out: list[Finding]) -> None:
    rumble, plosives = report.tone.rumble_dbfs, report.plosives
    loud = rumble is not None and rumble > CLEAN_RUMBLE_DB and not report.hum.present
    if plosives.count >= FEWEST_PLOSIVES or loud:
        parts = []
        if loud and rumble is not None:
            parts.append(tr("{rumble} dBFS below 65 Hz").format(rumble=number(rumble)))
        if plosives.count >= FEWEST_PLOSIVES:
            parts.append(tr("{count} plosives or knocks").format(count=plosives.count))
        severity = _graded(rumble if loud and rumble is not None else -60.0, -50.0, STRONG_RUMBLE_DB)
        if plosives.count >= FEWEST_PLOSIVES:
            severity = max(severity, Severity.AUDIBLE, key=list(Severity).index)
        places = tuple((t, t + 0.12) for t in plosives.times_s)
        out.append(Finding("rumble", tr("Rumble"), ", ".join(parts), severity, places, "derumble"))


def _add_passing(report: RecordingReport, out: list[Finding]) -> None:
    clicks = next((f.places_s for f in out if f.kind == "clicks"), ())
    passing = report.passing.besides([start for start, _ in clicks])
    if passing.are_many and passing.a_minute is not None:
        text = tr("keys, paper or the like between the words: {a_minute} a minute of pauses").format(a_minute=number(passing.a_minute, 0))
        severity = _graded(passing.a_minute, 80.0, 200.0)
        places = _moments(passing.times_s) if all_is_looked_at(report.duration_s) else ()
        out.append(Finding("passing-noises", tr("Passing noises"), text, severity, places, "denoise"))


def _add_noise(report: RecordingReport, out: list[Finding]) -> None:
    floor, snr, hiss = report.noise.floor_dbfs, report.noise.snr_db, report.noise.hiss_dbfs
    if floor is None or snr is None or report.noise.at_most:
        return
    text = tr("noise floor {floor} dBFS, speech {snr} dB above it")
    if hiss is not None and hiss < floor - BESIDE_DB:  # hum, tones and rumble have treatments of their own
        floor, snr = hiss, snr + floor - hiss
        text = tr("noise floor {floor} dBFS beside hum, tones and rumble, speech {snr} dB above it")
    if floor > CLEAN_FLOOR_DB and snr < CLEAN_SNR_DB:
        strength = int(np.clip(round(100 - (snr - 20.0) * 0.8), 70, 100))
        text = text.format(floor=number(floor), snr=number(snr, 0))
        severity = _graded(-snr, -40.0, -LOW_SNR_DB)
        out.append(Finding("noise", tr("Noise"), text, severity, treatment="denoise", strength=strength))


def _add_untreated(report: RecordingReport, out: list[Finding]) -> None:
    """Findings that no repair answers: for the person to know."""
    channels = report.channel_faults
    names = ("left", "right") if report.channels == 2 else tuple(tr("channel {k}").format(k=k + 1) for k in range(report.channels))
    for channel in channels.silent:
        out.append(
            Finding("silent-channel", tr("Silent channel"), tr("{names} holds nothing").format(names=names[channel]), Severity.SEVERE)
        )
    for a, b in channels.inverted:
        text = tr("{names} and {names2} have opposite polarity: together they cancel").format(names=names[a], names2=names[b])
        out.append(Finding("inverted", tr("Inverted channel"), text, Severity.SEVERE))
    for a, b in channels.same:
        out.append(
            Finding(
                "same-channels",
                tr("Same twice"),
                tr("{names} and {names2} are the same").format(names=names[a], names2=names[b]),
                Severity.MINOR,
            )
        )
    if report.noise.gated:  # the places at which it shut are no drop-outs
        text = tr("the pauses are digital silence: a gate or a call's recorder shut them, and no noise floor can be told")
        out.append(Finding("gate", tr("Gate"), text, Severity.MINOR))
    elif report.dropouts.count:
        longest = max(b - a for a, b in report.dropouts.spans_s)
        text = tr_count(
            "{count} drop-out, {longest} ms long",
            "{count} drop-outs, the longest {longest} ms",
            report.dropouts.count,
            longest=number(1000 * longest, 0),
        )
        severity = _graded(report.dropouts.count, 2, 10)
        out.append(Finding("dropouts", tr("Drop-outs"), text, severity, report.dropouts.spans_s))
    if abs(report.dc_offset) > OFFSET and report.duration_s >= SHORTEST_S:
        text = tr("samples lie {dc_offset} % off the zero line").format(dc_offset=number(100 * report.dc_offset))
        derumble = all(f.treatment != "derumble" for f in out)
        severity = _graded(abs(report.dc_offset), 0.01, 0.05)
        out.append(Finding("dc-offset", tr("DC offset"), text, severity, treatment="derumble" if derumble else None))
    limit = report.bandwidth.limit_hz
    if limit is not None:
        text = tr("nothing above {limit} kHz: coded, or recorded at a lower rate").format(limit=number(limit / 1000))
        severity = _graded(-limit, -12000.0, -5000.0)
        out.append(Finding("bandwidth", tr("Narrow band"), text, severity))
    sharp = report.tone.sibilance_excess_db
    is_speech = report.noise.snr_db is not None or report.noise.gated
    if sharp is not None and sharp > USUAL_SIBILANCE_DB and is_speech:
        text = tr("s-sounds {sharp} dB sharper than usual: for the Voice step").format(sharp=number(sharp))
        out.append(Finding("sibilance", tr("Sibilance"), text, _graded(sharp, 4.0, SHARP_DB)))
