"""All treatments there are, in the order in which they are applied."""

from __future__ import annotations

from dubbin.core.treat.compressor import Compressor
from dubbin.core.treat.denoise import Denoise
from dubbin.core.treat.treatment import Treatment

REPAIRS: tuple[Treatment, ...] = (Denoise(),)
VOICE: tuple[Treatment, ...] = (Compressor(),)
TREATMENTS: dict[str, Treatment] = {t.name: t for t in (*REPAIRS, *VOICE)}
