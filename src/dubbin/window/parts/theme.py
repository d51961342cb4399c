"""Colours, fonts and the style sheet: a daylight workshop, and the same workshop by night."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache
from pathlib import Path
from weakref import WeakSet

from PyQt6 import sip
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

from dubbin.core.texts import tr

FONTS = Path(__file__).parents[2] / "fonts"
ICONS = Path(__file__).parent.parent / "icons"
FAMILY = "Alegreya Sans"
BASE_PX = 15
SMALLEST_PERCENT, LARGEST_PERCENT = 80, 200  # of text
TEXT_SIZES = (100, 110, 125, 150, 175, 200)  # percent, to choose from
USUAL_POINTS, CLOSE_PERCENT = 11.25, 5  # 15 pixels at 96 to the inch


@dataclass(frozen=True)
class Colours:
    """Named after what they are for; see the words of the house for treated (saddle) and recorded (indigo).

    thread is for stitches, thread_text for figures beside them: text needs more contrast than a line."""

    paper: str
    card: str
    line: str
    wash: str
    ink: str
    muted: str
    saddle: str
    indigo: str
    thread: str
    thread_text: str
    fern: str
    brick: str
    on_accent: str
    dark: bool = False

    def q(self, name: str, alpha: int = 255) -> QColor:
        return QColor(_colour(getattr(self, name), alpha))


@lru_cache(maxsize=256)
def _colour(value: str, alpha: int) -> QColor:
    colour = QColor(value)
    colour.setAlpha(alpha)
    return colour


DAY = Colours(
    paper="#F3EDE2", card="#FBF8F1", line="#D9CDB8", wash="#EADFCC", ink="#2B2830", muted="#6B6459",
    saddle="#9A4E1C", indigo="#33508A", thread="#C08A2E", thread_text="#84590E", fern="#3D6B4A", brick="#A5342B", on_accent="#FFFFFF",
)  # fmt: skip
NIGHT = Colours(
    paper="#1F1D22", card="#28252C", line="#45404A", wash="#353039", ink="#EDE6DA", muted="#A79E92",
    saddle="#E0955C", indigo="#8FA9E0", thread="#DDAE55", thread_text="#DDAE55", fern="#86BD93", brick="#EC8577", on_accent="#1F1D22", dark=True,
)  # fmt: skip


class Appearance(Enum):
    """Which theme is wanted; title: for people."""

    SYSTEM = "system"
    LIGHT = "light"
    DARK = "dark"

    @property
    def title(self) -> str:
        return {"system": tr("Like the system"), "light": tr("Light"), "dark": tr("Dark")}[self.value]


def appearance_of(value: str) -> Appearance:
    """The look that a preference names; like the system where it names none."""
    return Appearance(value) if value in [look.value for look in Appearance] else Appearance.SYSTEM


def system_percent(point_size: float) -> int:
    """The size of text that fits a system whose own type has so many points; the usual size where it is smaller, or not told."""
    wanted = 100.0 * point_size / USUAL_POINTS
    return max((p for p in TEXT_SIZES if p <= wanted + CLOSE_PERCENT), default=TEXT_SIZES[0])


class Theme(QObject):
    """The colours in use; tells when day turns to night. text_percent: size of all text, in percent of its usual size."""

    changed = pyqtSignal()

    def __init__(self, app: QApplication, text_percent: int = 100) -> None:
        super().__init__()
        self._app = app
        self._appearance = Appearance.LIGHT
        hints = app.styleHints()
        if hints is not None:
            hints.colorSchemeChanged.connect(lambda _: self.follow(self._appearance))
        self.colours = DAY
        self._windows: WeakSet[QWidget] = WeakSet()
        for file in sorted(FONTS.glob("*.ttf")):
            QFontDatabase.addApplicationFont(str(file))
        app.setStyle("Fusion")
        self.set_text_percent(text_percent)

    def set_text_percent(self, percent: int) -> None:
        """Size of all text, in percent of its usual size; windows that stand already keep the room that they gave it."""
        global _text_scale
        _text_scale = min(max(percent, SMALLEST_PERCENT), LARGEST_PERCENT) / 100
        self._app.setFont(font(BASE_PX))
        self._apply()

    @property
    def appearance(self) -> Appearance:
        return self._appearance

    def follow(self, appearance: Appearance) -> None:
        """Be light or dark, or as the system is, also when that changes."""
        self._appearance = appearance
        hints = self._app.styleHints()
        by_system = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
        self.set_night(appearance is Appearance.DARK or (appearance is Appearance.SYSTEM and by_system))

    def set_night(self, night: bool) -> None:
        colours = NIGHT if night else DAY
        if colours is self.colours:
            return  # to style every widget anew takes a while
        self.colours = colours
        self._apply()
        self.changed.emit()

    def _apply(self) -> None:
        c = self.colours
        palette = QPalette()
        roles = QPalette.ColorRole
        for role, name in (
            (roles.Window, "paper"), (roles.WindowText, "ink"), (roles.Base, "card"), (roles.Text, "ink"),
            (roles.Button, "card"), (roles.ButtonText, "ink"), (roles.Highlight, "saddle"), (roles.HighlightedText, "on_accent"),
            (roles.AlternateBase, "paper"), (roles.ToolTipBase, "ink"), (roles.ToolTipText, "paper"), (roles.PlaceholderText, "muted"),
            (roles.Mid, "line"), (roles.Light, "card"), (roles.Dark, "line"),
        ):  # fmt: skip
            palette.setColor(role, c.q(name))
        for role in (roles.WindowText, roles.Text, roles.ButtonText):
            palette.setColor(QPalette.ColorGroup.Disabled, role, c.q("muted", 150))
        self._app.setPalette(palette)
        for window in self._windows:
            if not sip.isdeleted(window):
                self._style(window)

    def dress(self, window: QWidget) -> None:
        """Style a window and all that is in it or belongs to it, now and whenever the colours change. To be called once it is put together: a style sheet that
        is there before is applied to all that a widget holds whenever it gets a parent, which makes putting together two to three times as long."""
        self._windows.add(window)
        self._style(window)

    def _style(self, window: QWidget) -> None:
        window.setStyleSheet("")  # what takes the place of a style sheet is applied more often than what comes where none is
        window.setStyleSheet(style_sheet(self.colours))


_text_scale = 1.0


def scaled(px: float) -> int:
    """A size in pixels that grows with the text: of type, and of what holds a line of it."""
    return round(px * _text_scale)


def font(px: int, weight: int = 400) -> QFont:
    """The house's font: 400, 500 or 700. px: at the usual size of text."""
    return QFont(_font(scaled(px), weight))


@lru_cache(maxsize=64)
def _font(px: int, weight: int) -> QFont:
    f = QFont(FAMILY)
    f.setPixelSize(px)
    f.setWeight(QFont.Weight(weight))
    f.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    return f


def style_sheet(c: Colours) -> str:
    """All that Qt is told about the look of its widgets."""
    sheet = _frames_and_buttons(c) + _fields_and_tables(c)
    return re.sub(r"font-size: (\d+)px", lambda found: f"font-size: {scaled(int(found[1]))}px", sheet)


def _frames_and_buttons(c: Colours) -> str:
    return f"""
* {{ font-family: "{FAMILY}"; font-size: {BASE_PX}px; }}
QMainWindow, QDialog {{ background: {c.paper}; }}
QToolTip {{ background: {c.ink}; color: {c.paper}; border: none; padding: 5px 8px; }}
QMenuBar {{ background: {c.card}; border-bottom: 1px solid {c.line}; padding: 1px 8px; }}
QMenuBar::item {{ padding: 3px 9px; background: transparent; border-radius: 4px; }}
QMenuBar::item:selected {{ background: {c.wash}; }}
QMenu {{ background: {c.card}; border: 1px solid {c.line}; padding: 5px; }}
QMenu::item {{ padding: 5px 26px 5px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {c.wash}; color: {c.ink}; }}
QMenu::item:disabled {{ color: {c.muted}; }}
QMenu::separator {{ height: 1px; background: {c.line}; margin: 5px 8px; }}
QLabel {{ background: transparent; }}
QLabel[kind="title"] {{ font-size: 18px; font-weight: 700; }}
QLabel[kind="section"] {{ font-size: 13px; font-weight: 500; color: {c.muted}; letter-spacing: 1px; }}
QLabel[kind="strong"] {{ font-weight: 700; }}
QLabel[kind="muted"] {{ color: {c.muted}; font-size: 14px; }}
QLabel[kind="good"] {{ color: {c.fern}; font-weight: 700; }}
QLabel[kind="bad"] {{ color: {c.brick}; font-weight: 700; }}
QFrame#card {{ background: {c.card}; border: 1px solid {c.line}; border-radius: 9px; }}
QFrame#card[active="true"] {{ border: 1px solid {c.saddle}; }}
QFrame#drop {{ background: transparent; border: 2px dashed {c.line}; border-radius: 14px; }}
QLabel[kind="headline"] {{ font-size: 22px; font-weight: 700; }}
QPushButton[kind="line"] {{ background: transparent; border: 1px solid transparent; border-radius: 4px; text-align: left; padding: 0 3px; font-weight: 500; }}
QPushButton[kind="line"]:hover {{ background: {c.wash}; }}
QPushButton[kind="line"]:focus {{ border: 1px solid {c.indigo}; padding: 0 3px; }}
QPushButton[kind="row"] {{ background: transparent; border-color: transparent; text-align: left; padding: 6px 10px; }}
QPushButton[kind="row"]:hover {{ background: {c.wash}; }}
QPushButton[kind="row"]:focus {{ border: 2px solid {c.indigo}; padding: 5px 9px; }}
QFrame#panel {{ background: {c.paper}; border-left: 1px solid {c.line}; }}
QFrame#bar {{ background: {c.card}; }}
QPushButton[kind="quiet"] {{ background: transparent; border-color: transparent; color: {c.muted}; padding: 2px 6px; font-size: 14px; }}
QPushButton[kind="quiet"]:hover {{ color: {c.brick}; }}
QPushButton[kind="quiet"]:focus {{ border: 2px solid {c.indigo}; padding: 1px 5px; }}
QPushButton[kind="fast"] {{ background: {c.wash}; border-color: transparent; color: {c.ink}; padding: 2px 6px; font-size: 14px; font-weight: 700; }}
QPushButton[kind="help"] {{ background: transparent; border: 1px solid transparent; border-radius: 9px; color: {c.muted}; padding: 0; min-width: 18px; max-width: 18px;
  min-height: 18px; max-height: 18px; font-size: 13px; }}
QPushButton[kind="help"]:hover {{ background: {c.wash}; color: {c.ink}; }}
QPushButton[kind="help"]:focus {{ border: 2px solid {c.indigo}; }}
QCheckBox::indicator, QRadioButton::indicator {{ width: 13px; height: 13px; border: 1px solid {c.muted}; border-radius: 3px; background: {c.card}; }}
QRadioButton::indicator {{ border-radius: 7px; }}
QCheckBox::indicator:checked {{ background: {c.saddle}; border-color: {c.saddle}; image: url({(ICONS / ("check-night.svg" if c.dark else "check.svg")).as_posix()}); }}
QRadioButton::indicator:checked {{ background: {c.saddle}; border: 4px solid {c.card}; outline: 1px solid {c.muted}; }}
QCheckBox::indicator:disabled {{ border-color: {c.line}; background: {c.line}; }}
QFrame#rule {{ background: {c.line}; max-height: 1px; min-height: 1px; border: none; }}
QFrame#notice {{ background: {c.wash}; border-bottom: 1px solid {c.line}; }}
QScrollArea {{ border: none; background: transparent; }}
QWidget#scrolled {{ background: transparent; }}
QPushButton {{ background: {c.card}; color: {c.ink}; border: 1px solid {c.line}; border-radius: 7px; padding: 5px 12px; }}
QPushButton:hover {{ border-color: {c.saddle}; }}
QPushButton:focus {{ border: 2px solid {c.indigo}; padding: 4px 11px; }}
QPushButton:pressed {{ background: {c.wash}; }}
QPushButton:disabled {{ color: {c.muted}; background: transparent; border-color: {c.line}; }}
QPushButton[kind="small"] {{ padding: 2px 4px; font-size: 14px; }}
QPushButton[kind="main"] {{ background: {c.saddle}; color: {c.on_accent}; border-color: {c.saddle}; font-weight: 500; }}
QPushButton[kind="main"]:hover {{ border-color: {c.ink}; }}
QPushButton[kind="main"]:disabled {{ background: {c.wash}; color: {c.muted}; border-color: {c.line}; }}
QPushButton[kind="plain"] {{ background: transparent; border-color: transparent; padding: 4px 8px; }}
QPushButton[kind="plain"]:hover {{ background: {c.wash}; }}
QPushButton[kind="plain"]:focus {{ border: 2px solid {c.indigo}; padding: 3px 7px; }}
QPushButton[kind="letter"] {{ padding: 1px 0; min-width: 26px; max-width: 26px; min-height: 22px; font-weight: 500; }}
QPushButton[kind="letter"]:checked {{ background: {c.saddle}; color: {c.on_accent}; border-color: {c.saddle}; }}
"""


def _fields_and_tables(c: Colours) -> str:
    return f"""
QLineEdit, QDoubleSpinBox, QSpinBox, QComboBox, QPlainTextEdit {{
  background: {c.card}; border: 1px solid {c.line}; border-radius: 6px; padding: 3px 7px; color: {c.ink};
  selection-background-color: {c.saddle}; selection-color: {c.on_accent}; }}
QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {c.indigo}; padding: 2px 6px; }}
QCheckBox:focus, QRadioButton:focus {{ color: {c.indigo}; text-decoration: underline; }}
QTableView:focus, QListWidget:focus {{ border: 2px solid {c.indigo}; }}
QLineEdit[kind="quiet"] {{ background: transparent; border-color: transparent; font-weight: 700; padding-left: 2px; }}
QLineEdit[kind="quiet"]:hover {{ border-color: {c.line}; }}
QLineEdit[kind="quiet"]:focus {{ border-color: {c.indigo}; background: {c.card}; }}
QLineEdit[kind="cell"] {{ background: transparent; border: 1px solid transparent; padding: 1px 4px; }}
QLineEdit[kind="cell"]:hover {{ border-color: {c.line}; }}
QLineEdit[kind="cell"]:focus {{ border: 2px solid {c.indigo}; padding: 0 3px; background: {c.card}; }}
QLineEdit#title {{ font-size: 18px; }}
QDoubleSpinBox::up-button, QDoubleSpinBox::down-button, QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
QComboBox::drop-down {{ border: none; width: 22px; }}
QComboBox::down-arrow {{ image: url({(ICONS / "down.svg").as_posix()}); width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {c.card}; border: 1px solid {c.line}; selection-background-color: {c.wash}; selection-color: {c.ink}; }}
QCheckBox {{ spacing: 7px; }}
QTableView, QTableWidget, QListWidget {{ background: {c.card}; border: 2px solid transparent; gridline-color: {c.wash}; selection-background-color: {c.wash};
  selection-color: {c.ink}; alternate-background-color: {c.paper}; outline: none; }}
QTableWidget::item {{ padding: 0 6px; }}
QListWidget::item {{ padding: 4px 6px; }}
QWidget#evidence {{ background: {c.card}; }}
QHeaderView::section {{ background: {c.card}; color: {c.muted}; border: none; border-bottom: 1px solid {c.line}; padding: 4px 9px; font-size: 14px; }}
QTableCornerButton::section {{ background: {c.card}; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {c.line}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {c.muted}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {c.wash}; border: none; border-radius: 4px; height: 8px; text-align: center; color: transparent; }}
QProgressBar::chunk {{ background: {c.saddle}; border-radius: 4px; }}
QSplitter::handle {{ background: {c.line}; }}
"""
