"""The recogniser's model as its library loads it, but for the vocabulary (see `byte_pairs`). Imported where a model is loaded: the library takes a second.

All that is taken from the library, and from the one below it, comes through here: their modules import one another, so that two threads that begin with different ones can fail both.
"""

from __future__ import annotations

from pathlib import Path

from ctranslate2 import StorageView
from ctranslate2.models import Whisper
from faster_whisper import WhisperModel
from faster_whisper.feature_extractor import FeatureExtractor
from faster_whisper.tokenizer import Tokenizer
from faster_whisper.transcribe import get_compression_ratio, get_suppressed_tokens, pad_or_trim
from faster_whisper.utils import get_logger

from dubbin.core.seats import CORES
from dubbin.core.speech.byte_pairs import BytePairs

__all__ = ["LoadedModel", "StorageView", "Tokenizer", "get_compression_ratio", "get_suppressed_tokens", "pad_or_trim"]

STRIDE, TIME_PRECISION_S, MOST_TOKENS = 2, 0.02, 448  # of every Whisper model


class LoadedModel(WhisperModel):  # type: ignore[misc]  # its library has no types
    """What the library's own class holds, by the same names: all that it does is done with these."""

    def __init__(self, folder: Path) -> None:
        """Raises RuntimeError, ValueError, OSError."""
        self.logger = get_logger()
        # A thread a window: two threads of a core that share one wait for each other at every step.
        self.model = Whisper(str(folder), device="cpu", compute_type="int8", intra_threads=1, inter_threads=CORES)
        self.hf_tokenizer = BytePairs(folder)
        self.feat_kwargs = self._get_feature_kwargs(str(folder), None)
        self.feature_extractor = FeatureExtractor(**self.feat_kwargs)
        self.input_stride = STRIDE
        self.num_samples_per_token = self.feature_extractor.hop_length * STRIDE
        self.frames_per_second = self.feature_extractor.sampling_rate // self.feature_extractor.hop_length
        self.tokens_per_second = self.feature_extractor.sampling_rate // self.num_samples_per_token
        self.time_precision = TIME_PRECISION_S
        self.max_length = MOST_TOKENS
