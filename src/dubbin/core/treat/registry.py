"""All treatments there are, in the order in which they are applied."""

from __future__ import annotations

from dubbin.core.treat.compressor import Compressor
from dubbin.core.treat.declick import Declick
from dubbin.core.treat.declip import Declip
from dubbin.core.treat.deess import Deess
from dubbin.core.treat.dehum import Dehum
from dubbin.core.treat.denoise import Denoise
from dubbin.core.treat.dereverb import Dereverb
from dubbin.core.treat.derumble import Derumble
from dubbin.core.treat.equalise import Equalise
from dubbin.core.treat.expand import Expand
from dubbin.core.treat.touch_up import TouchUp
from dubbin.core.treat.treatment import Treatment

REPAIRS: tuple[Treatment, ...] = (Declip(), Declick(), Dehum(), Derumble(), Denoise(), Dereverb())
VOICE: tuple[Treatment, ...] = (Equalise(), Expand(), Deess(), Compressor())
TOUCH_UP = TouchUp()  # after all repairs; its settings are the places that a person marked
TREATMENTS: dict[str, Treatment] = {t.name: t for t in (*REPAIRS, TOUCH_UP, *VOICE)}
