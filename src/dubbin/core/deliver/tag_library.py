"""All that is used of mutagen, which knows the tags of files. Imported where tags are written or read.

Its modules import one another: two threads that began with different ones, for two masters at once, could fail both.
"""

from mutagen.flac import FLAC, Picture
from mutagen.id3 import APIC, CHAP, COMM, CTOC, TIT2, TXXX, CTOCFlags, Frames
from mutagen.mp3 import MP3
from mutagen.mp4 import MP4, MP4Cover, MP4FreeForm
from mutagen.oggopus import OggOpus
from mutagen.wave import WAVE

CLASSES = {kind.__name__: kind for kind in (WAVE, FLAC, MP3, MP4, OggOpus)}  # that open files

__all__ = ["APIC", "CHAP", "CLASSES", "COMM", "CTOC", "TIT2", "TXXX", "CTOCFlags", "Frames", "MP4Cover", "MP4FreeForm", "Picture"]
