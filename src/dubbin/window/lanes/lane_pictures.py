"""What a lane shows of its sound: waves, as recorded and as treated, a spectrogram, or both."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from dubbin.core.episode.model import Lane, Role
from dubbin.core.mix.monitor import MonitorMode
from dubbin.core.mix.program import audible_lanes
from dubbin.core.sound.peaks import PeakPyramid
from dubbin.core.sound.source import Source
from dubbin.window.lanes.level_line import LevelLine
from dubbin.window.lanes.spectrogram_tiles import SpectrogramTiles
from dubbin.window.lanes.viewport import Viewport
from dubbin.window.lanes.wave_image import FinePixels, columns_of, laid_over, wave_image
from dubbin.window.parts.theme import Theme
from dubbin.window.session.session import Session

VEIL = 120
FULLEST = 0.92  # of a lane's height for its loudest sample
MOST_IMAGES = 12


class Picture(StrEnum):
    """What the lanes show of the sound."""

    WAVES = "waves"
    BOTH = "both"
    SPECTROGRAM = "spectrogram"


class LanePictures(QObject):
    """Paints the sound of lanes, and keeps the waves that were painted last."""

    changed = pyqtSignal()

    def __init__(self, session: Session, view: Viewport, theme: Theme, levels: LevelLine) -> None:
        super().__init__()
        self._session, self._view, self._theme, self._levels = session, view, theme, levels
        self.picture = Picture.WAVES
        self.level_zoom = 1.0
        self._spectrograms = SpectrogramTiles(session, view, theme)
        self._spectrograms.changed.connect(self.changed)
        self._images: dict[tuple[object, ...], QImage] = {}

    def forget(self) -> None:
        """Paint all anew: something looks otherwise."""
        self._images.clear()
        self.changed.emit()

    def set_picture(self, picture: Picture) -> None:
        self.picture = picture
        self.forget()

    def next_picture(self) -> None:
        """From waves to both to spectrograms, and round."""
        pictures = list(Picture)
        self.set_picture(pictures[(pictures.index(self.picture) + 1) % len(pictures)])

    def zoom_level(self, factor: float) -> None:
        self.level_zoom = min(max(self.level_zoom * factor, 0.5), 40.0)
        self.forget()

    def reset_level(self) -> None:
        """Waves as high as their lanes again."""
        self.level_zoom = 1.0
        self.forget()

    def paint(self, p: QPainter, lane: Lane, rect: QRectF, ratio: float) -> None:
        """Into a rectangle. ratio: pixels of the screen to one of the window."""
        if self.picture is not Picture.WAVES:
            self._paint_spectrogram(p, lane, rect)
        image = self._image(lane, int(rect.height()), ratio) if self.picture is not Picture.SPECTROGRAM else None
        if image is not None:
            p.drawImage(rect.topLeft(), image)

    def _paint_spectrogram(self, p: QPainter, lane: Lane, rect: QRectF) -> None:
        sound, mode = self._session.analyses.sound(lane), self._session.monitor.mode
        if sound is None:
            return
        treats = bool(sound.repaired.stages or sound.voiced.stages)
        # What is not computed yet is shown as recorded: the picture never waits.
        if not treats or mode is MonitorMode.RECORDED or self._session.analyses.treated(lane) is None:
            source, side = sound.recorded, MonitorMode.RECORDED.value
        else:
            source, side = sound.heard(mode), f"{mode.value} {self._session.analyses.key(lane).voiced!r}"
        p.save()
        p.setClipRect(rect)
        self._spectrograms.paint(p, lane, rect, source, side)
        if self.picture is Picture.BOTH:
            p.fillRect(rect, self._theme.colours.q("card", VEIL))  # so that the wave over it stays readable
        p.restore()

    def _image(self, lane: Lane, height: int, ratio: float) -> QImage | None:
        view = self._view
        copy = self._session.recordings.copy(lane.recording)
        sound = self._session.analyses.sound(lane)
        if copy is None or sound is None or height < 4:
            return None
        audible = lane in audible_lanes(self._session.episode.lanes)
        key = (lane.id, height, view.start, view.per_pixel, view.width, view.folded, audible, ratio)
        if key not in self._images:
            if len(self._images) > MOST_IMAGES:
                self._images.clear()
            image = self._draw(lane, copy.peaks, round(height * ratio), audible, ratio)
            image.setDevicePixelRatio(ratio)
            self._images[key] = image
        return self._images[key]

    def _draw(self, lane: Lane, peaks: PeakPyramid, height: int, audible: bool, ratio: float) -> QImage:
        c, session = self._theme.colours, self._session
        sound, treated, mode = session.analyses.sound(lane), session.analyses.treated(lane), session.monitor.mode
        assert sound is not None
        loudest = max(float(np.max(np.abs(peaks.levels[-1]))), 0.05)
        zoom = FULLEST / loudest * self.level_zoom
        recorded = self._columns(lane, peaks, sound.recorded, ratio)
        strong = 255 if audible else 90
        treats = bool(sound.repaired.stages or sound.voiced.stages)
        if self.picture is Picture.BOTH:
            strong = 215 if audible else 90
        if mode is MonitorMode.RECORDED or not treats:
            role = "indigo" if lane.role is Role.VOICE else "muted"
            return wave_image(recorded, height, c.q(role, strong), zoom)
        pale = 0 if self.picture is Picture.BOTH else 70 if audible else 40
        if treated is None:  # all that there is to see until it is treated
            pale = 170 if audible else 70
        layers = [wave_image(recorded, height, c.q("indigo", pale), zoom)]
        if treated is not None:
            after = self._columns(lane, treated.peaks, sound.voiced, ratio)
            if mode is MonitorMode.REMOVED:
                # What is missing at either side of the treated wave.
                gone = np.stack(
                    [
                        np.minimum(recorded[:, 0] - after[:, 0], 0),
                        np.maximum(recorded[:, 1] - after[:, 1], 0),
                    ],
                    1,
                )
                layers.append(wave_image(gone, height, c.q("brick", strong), zoom))
            else:
                layers.append(wave_image(after, height, c.q("saddle", strong), zoom))
        return laid_over(layers)

    def _columns(self, lane: Lane, peaks: PeakPyramid, source: Source, ratio: float) -> NDArray[np.float32]:
        """Lowest and highest sample of every pixel; what lies under the program is drawn where it is heard."""
        fine = FinePixels(self._view, ratio)
        if lane.bed is None:
            return columns_of(fine, peaks, source, lane.start_frame)
        coarse = peaks.around(range(peaks.channels), self._levels.recording_frames(lane, self._view.width), self._view.per_pixel)
        return coarse[np.minimum(np.arange(fine.width) * self._view.width // max(fine.width, 1), self._view.width - 1)]
