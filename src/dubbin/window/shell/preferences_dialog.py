"""Preferences: look, saving, sound device, words, cache and keys. What is changed holds at once; what waits for the next start says so."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dubbin.core.errors import CannotWrite
from dubbin.core.folders import MOST_CACHE_GB, Folders
from dubbin.core.sound.writing import check_folder
from dubbin.core.speech.models import MODELS
from dubbin.core.texts import ENGLISH, languages, tr
from dubbin.core.treat.tiles import prune
from dubbin.window.parts.action import ActionList
from dubbin.window.parts.card import label
from dubbin.window.parts.dialog import close_row
from dubbin.window.parts.theme import TEXT_SIZES, Appearance, Theme
from dubbin.window.player.sinks import device_names
from dubbin.window.session.preferences import AUTOSAVE_MINUTES, BACKUPS, Preferences
from dubbin.window.shell.keys_page import KeysPage

MOST_MINUTES, MOST_BACKUPS = 60, 99
SMALLEST_CACHE_GB, LARGEST_CACHE_GB = 1, 2000


def language_name(code: str) -> str:
    """A language's name in itself; its code where nobody knows it."""
    name = "English" if code == ENGLISH else QLocale(code).nativeLanguageName()
    return name[:1].upper() + name[1:] or code


class PreferencesDialog(QDialog):
    """set_device: has what plays go to another device; "" is the system's. play_tone: plays a short tone there and says what went wrong."""

    def __init__(
        self, preferences: Preferences, theme: Theme, actions: ActionList, folders: Folders, set_device: Callable[[str], None],
        play_tone: Callable[[], str], parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(tr("Preferences"))
        self.resize(760, 520)
        self._preferences, self._theme, self._folders = preferences, theme, folders
        self._set_device, self._play_tone = set_device, play_tone
        self.keys = KeysPage(actions)
        self.keys.changed.connect(lambda: preferences.set("keys", {id: list(keys) for id, keys in actions.own_keys.items()}))
        self.pages = QStackedWidget()
        self.list = QListWidget()
        self.list.setFixedWidth(150)
        self.list.setAccessibleName(tr("Pages"))
        for name, page in (
            (tr("General"), self._general()), (tr("Sound"), self._sound()), (tr("Words"), self._words()), (tr("Cache"), self._cache()), (tr("Keys"), self.keys),
        ):  # fmt: skip
            self.list.addItem(name)
            self.pages.addWidget(page)
        self.list.currentRowChanged.connect(self.pages.setCurrentIndex)
        self.list.setCurrentRow(0)
        row = QHBoxLayout()
        row.setSpacing(18)
        row.addWidget(self.list)
        row.addWidget(self.pages, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 14)
        column.addLayout(row, 1)
        column.addLayout(close_row(self))

    def show_page(self, name: str) -> None:
        found = self.list.findItems(name, Qt.MatchFlag.MatchExactly)
        if found:
            self.list.setCurrentItem(found[0])

    # -- pages ------------------------------------------------------------------------

    def _general(self) -> QWidget:
        page, form = _form()
        self.theme_choice = QComboBox()
        for look in Appearance:
            self.theme_choice.addItem(look.title, look.value)
        self.theme_choice.setCurrentIndex(self.theme_choice.findData(self._preferences.get("appearance", Appearance.SYSTEM.value)))
        self.theme_choice.activated.connect(lambda: self._set_look(self.theme_choice.currentData()))
        form.addRow(tr("Theme"), self.theme_choice)
        self.text_size = QComboBox()
        self.text_size.addItem(tr("Like the system"), 0)
        for percent in TEXT_SIZES:
            self.text_size.addItem(f"{percent} %", percent)
        self.text_size.setCurrentIndex(max(self.text_size.findData(self._preferences.get("text_percent", 0)), 0))
        self.text_size.activated.connect(lambda: self._preferences.set("text_percent", self.text_size.currentData()))
        form.addRow(tr("Text size"), self.text_size)
        self.language = QComboBox()
        self.language.addItem(tr("Like the system"), "")
        for code in languages((self._folders.translations,)):
            self.language.addItem(language_name(code), code)
        self.language.setCurrentIndex(max(self.language.findData(self._preferences.get("language", "")), 0))
        self.language.activated.connect(lambda: self._preferences.set("language", self.language.currentData()))
        form.addRow(tr("Language"), self.language)
        form.addRow("", label(tr("Text size and language hold from the next start on."), "muted"))
        self.reopen = QCheckBox(tr("Open the last episode at the start"))
        self.reopen.setChecked(bool(self._preferences.get("reopen", False)))
        self.reopen.toggled.connect(lambda on: self._preferences.set("reopen", on))
        form.addRow(tr("Start"), self.reopen)
        self.autosave = _spin(0, MOST_MINUTES, tr(" min"), int(self._preferences.get("autosave_minutes", AUTOSAVE_MINUTES)))
        self.autosave.setSpecialValueText(tr("off"))
        self.autosave.valueChanged.connect(lambda v: self._preferences.set("autosave_minutes", v))
        form.addRow(tr("Save by itself every"), self.autosave)
        self.backups = _spin(0, MOST_BACKUPS, "", int(self._preferences.get("backups", BACKUPS)))
        self.backups.setSpecialValueText(tr("none"))
        self.backups.valueChanged.connect(lambda v: self._preferences.set("backups", v))
        form.addRow(tr("Backups kept of an episode"), self.backups)
        note = tr("Every step is kept on the disk at once, saved or not: after a crash nothing is lost. Backups are earlier saved states.")
        form.addRow("", label(note, "muted", wrap=True))
        return page

    def _sound(self) -> QWidget:
        page, form = _form()
        self.device = QComboBox()
        self.device.addItem(tr("The system's default"), "")
        for id, name in device_names():
            self.device.addItem(name, id)
        self.device.setCurrentIndex(max(self.device.findData(self._preferences.get("sound_device", "")), 0))
        self.device.activated.connect(lambda: self._change_device(self.device.currentData()))
        form.addRow(tr("Output"), self.device)
        self.tone = QPushButton(tr("Play a test tone"))
        self.tone.clicked.connect(lambda: self.tone_said.setText(self._play_tone()))
        form.addRow("", self.tone)
        self.tone_said = label("", "muted", wrap=True)
        form.addRow("", self.tone_said)
        return page

    def _words(self) -> QWidget:
        page, form = _form()
        self.model = QComboBox()
        for model in MODELS.values():
            self.model.addItem(model.title, model.name)
        chosen = str(self._preferences.get("speech_model", ""))
        if chosen and chosen not in MODELS:
            self.model.addItem(Path(chosen).name, chosen)
        self.model.setCurrentIndex(max(self.model.findData(chosen), 0))
        self.model.activated.connect(self._change_model)
        form.addRow(tr("Speech model"), self.model)
        self.model_about = label("", "muted", wrap=True)
        form.addRow("", self.model_about)
        form.addRow("", label(tr("Language, names and models of your own: Words, Transcription settings."), "muted", wrap=True))
        self._show_model()
        return page

    def _cache(self) -> QWidget:
        page, form = _form()
        self.cache_size = _spin(SMALLEST_CACHE_GB, LARGEST_CACHE_GB, " GB", int(self._preferences.get("cache_gb", MOST_CACHE_GB)))
        self.cache_size.valueChanged.connect(lambda v: self._preferences.set("cache_gb", v))
        form.addRow(tr("Treated sound takes at most"), self.cache_size)
        self.cache_place = label(str(self._folders.cache), wrap=True)
        form.addRow(tr("Place"), self.cache_place)
        row = QHBoxLayout()
        choose, clear = QPushButton(tr("Choose a place …")), QPushButton(tr("Clear now"))
        choose.clicked.connect(self._choose_cache)
        clear.clicked.connect(self.clear_cache)
        row.addWidget(choose)
        row.addWidget(clear)
        row.addStretch(1)
        form.addRow("", row)
        self.cache_said = label("", "muted", wrap=True)
        form.addRow("", self.cache_said)
        form.addRow(
            "",
            label(tr("What is cleared is computed again when it is needed: no recording and no episode is touched."), "muted", wrap=True),
        )
        return page

    # -- changes ----------------------------------------------------------------------

    def _set_look(self, value: str) -> None:
        self._preferences.set("appearance", value)
        self._theme.follow(Appearance(value))

    def _change_device(self, id: str) -> None:
        self._preferences.set("sound_device", id)
        self._set_device(id)

    def _change_model(self) -> None:
        self._preferences.set("speech_model", self.model.currentData())
        self._show_model()

    def _show_model(self) -> None:
        model = MODELS.get(self.model.currentData())
        self.model_about.setText(model.about if model is not None else str(self.model.currentData()))

    def _choose_cache(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("A folder for the cache"), str(self._folders.cache))
        if not name:
            return
        try:
            self.set_cache(Path(name))
        except CannotWrite as error:
            self.cache_said.setText(str(error))

    def set_cache(self, folder: Path) -> None:
        """Have the cache elsewhere from the next start on. Raises CannotWrite."""
        check_folder(folder)
        self._preferences.set("cache_folder", str(folder / "dubbin-cache"))
        self.cache_said.setText(
            tr("From the next start on the cache lies in {folder}. The old one can then be removed.").format(folder=folder / "dubbin-cache")
        )

    def clear_cache(self) -> None:
        """Let go of all treated sound that is kept."""
        prune(self._folders.tiles, 0)
        self.cache_said.setText(tr("The cache of treated sound is empty."))


def _form() -> tuple[QWidget, QFormLayout]:
    page = QWidget()
    form = QFormLayout(page)
    form.setContentsMargins(0, 4, 0, 0)
    form.setHorizontalSpacing(16)
    form.setVerticalSpacing(10)
    form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
    return page, form


def _spin(low: int, high: int, unit: str, value: int) -> QSpinBox:
    box = QSpinBox()
    box.setRange(low, high)
    box.setSuffix(unit)
    box.setValue(value)
    box.setFixedWidth(104)
    return box
