"""The formats that are delivered: one table, from which encoder, tags, command line, window and proof sheet read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr


class TagKind(StrEnum):
    """How tags, cover and chapters are written into a file."""

    ID3 = "ID3v2.4"  # with CHAP and CTOC for chapters
    VORBIS = "Vorbis comments"
    MP4 = "MP4 atoms"


@dataclass(frozen=True)
class Format:
    """A kind of file.

    name: short, for files and the command line; also the file's ending. title: for people. codec, container: FFmpeg's names; none: written by libsndfile. decoded_as: what its decoders
    call it.
    tag_class: the name of the class of tag_library that opens the file's tags. fixed_rate: in Hz, where the codec knows no other. vbr: whether it can be encoded with a
    variable bit rate. in_parts: whether parts of a long one can be encoded apart. encoder_chapters: whether chapters are written while encoding, and can't be added later. wave_chunks: whether it takes `bext` and
    `cue `. options, sparse_options: of the encoder, and those below SPARSE_KBPS. cost: of encoding, against writing samples as they are.
    """

    name: str
    title: str
    tags: TagKind
    tag_class: str
    codec: str = ""
    container: str = ""
    decoded_as: tuple[str, ...] = ()
    fixed_rate: int | None = None
    vbr: bool = False
    in_parts: bool = False
    encoder_chapters: bool = False
    wave_chunks: bool = False
    cost: float = 1.0
    options: Mapping[str, str] = field(default_factory=dict)
    sparse_options: Mapping[str, str] = field(default_factory=dict)
    container_options: Mapping[str, str] = field(default_factory=dict)

    def options_at(self, kbps: int) -> dict[str, str]:
        """Options of the encoder at a bit rate."""
        return {**self.options, **(self.sparse_options if kbps < SPARSE_KBPS else {})}

    @property
    def is_lossy(self) -> bool:
        """Whether it goes through a codec that moves peaks and levels."""
        return bool(self.codec)

    @property
    def suffix(self) -> str:
        """The ending of files, with its dot."""
        return f".{self.name}"

    def __hash__(self) -> int:
        return hash(self.name)


WAV = Format("wav", "WAV", TagKind.ID3, "WAVE", wave_chunks=True)
FLAC = Format("flac", "FLAC", TagKind.VORBIS, "FLAC", cost=2.0)
MP3 = Format(
    # How long the encoder searches: 6 costs a third of the best and is a little closer to speech (PESQ 4.62 against 4.59 at 96 kbit/s, ten voices); from 7 on
    # consonants lose their highs at low bit rates (spectra 4.0 against 2.6 dB apart at 64 kbit/s; `./benchmarks/run codecs`).
    "mp3", "MP3", TagKind.ID3, "MP3", "libmp3lame", "mp3", ("mp3", "mp3float"), vbr=True, in_parts=True, cost=25.0,
    options={"compression_level": "6"},
)  # fmt: skip
SPARSE_KBPS = 56
M4A = Format(
    # Quantisers found band by band take a third of the time of two nested loops and are closer to speech: PESQ 4.53 against 4.47 at 96 kbit/s mono, 4.61
    # against 4.52 at 128 stereo; at 48 kbit/s mono 4.07 against 4.11 (`./benchmarks/run codecs`).
    "m4a",
    "M4A",
    TagKind.MP4,
    "MP4",
    "aac",
    "mp4",
    ("aac",),
    encoder_chapters=True,
    cost=9.0,
    options={"aac_coder": "fast"},
    sparse_options={"aac_coder": "twoloop"},
    container_options={"movflags": "+faststart"},
)
OPUS = Format("opus", "Opus", TagKind.VORBIS, "OggOpus", "libopus", "ogg", ("opus", "libopus"), fixed_rate=48000, cost=15.0)

FORMATS: dict[str, Format] = {f.name: f for f in (WAV, FLAC, MP3, M4A, OPUS)}


SAMPLE_TITLES = {"PCM_16": "16 bit", "PCM_24": "24 bit", "FLOAT": "32 bit float"}


def codec_title(codec: str) -> str:
    """What a decoder's name for a codec is, for people."""
    titles = {name: f.title for f in FORMATS.values() for name in f.decoded_as} | {"aac": "AAC"} | SAMPLE_TITLES
    return titles.get(codec, codec)


def find_format(name: str) -> Format:
    """A format by its name. Raises DubbinError, with all names there are."""
    if name not in FORMATS:
        raise DubbinError(tr("There is no format {name!r}. There are: {others}.").format(name=name, others=", ".join(FORMATS)))
    return FORMATS[name]
