"""How words are heard: the speech model, the language, and names and terms of the show."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QLocale
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)

from dubbin.core.speech.models import LANGUAGES, MODELS
from dubbin.core.speech.transcript import Spoken
from dubbin.core.texts import tr
from dubbin.window.parts.card import label
from dubbin.window.parts.dialog import ok_or_cancel

BY_ITSELF = tr("Detected")
TERMS_HEIGHT = 120


def language_title(code: str) -> str:
    """A language's name, for people."""
    known = QLocale(code).language()
    return code if known == QLocale.Language.C else QLocale.languageToString(known)


class ListeningDialog(QDialog):
    """choice: a model as `find_model` takes it. offered: names that the episode holds elsewhere. ask_folder: asks for a folder with another model; "" when
    nothing was chosen."""

    def __init__(
        self,
        choice: str,
        spoken: Spoken,
        offered: Sequence[str],
        ask_folder: Callable[[], str],
        has_words: bool,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Transcription settings"))
        self._ask_folder, self._offered = ask_folder, list(offered)
        self._folder = choice if choice not in ("", *MODELS) else ""
        column = QVBoxLayout(self)
        column.addWidget(label(tr("Speech model"), "strong"))
        self.models = QButtonGroup(self)
        self.buttons: dict[str, QRadioButton] = {}
        for model in MODELS.values():
            self._add_model(column, model.name, model.title, model.about)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        self._add_model(row, "", "", "")
        choose = QPushButton(tr("Choose a folder …"))
        choose.clicked.connect(self._choose_folder)
        row.addStretch(1)
        row.addWidget(choose)
        column.addLayout(row)
        self._show_folder()
        self.buttons[choice if choice in MODELS else "" if self._folder else next(iter(MODELS))].setChecked(True)
        column.addSpacing(8)
        column.addWidget(label(tr("Language of the show"), "strong"))
        self.language = QComboBox()
        self.language.addItem(BY_ITSELF, "")
        for code in sorted(LANGUAGES, key=language_title):
            self.language.addItem(language_title(code), code)
        self.language.setCurrentIndex(max(self.language.findData(spoken.language), 0))
        column.addWidget(self.language)
        column.addSpacing(8)
        column.addWidget(label(tr("Names and terms of the show"), "strong"))
        column.addWidget(label(tr("One a line, written as it is to stand in captions. Recipes keep the list."), "muted"))
        self.terms = QPlainTextEdit("\n".join(spoken.terms))
        self.terms.setFixedHeight(TERMS_HEIGHT)
        self.terms.setTabChangesFocus(True)
        column.addWidget(self.terms)
        self.take = QPushButton(tr("Add names from tags and speakers"))
        self.take.clicked.connect(self.add_offered)
        self.take.setEnabled(bool(self._missing()))
        self.terms.textChanged.connect(lambda: self.take.setEnabled(bool(self._missing())))
        column.addWidget(self.take)
        self.again = QCheckBox(tr("Transcribe again now; corrections are lost"))
        self.again.setVisible(has_words)
        column.addSpacing(8)
        column.addWidget(self.again)
        column.addWidget(ok_or_cancel(self))
        self.setMinimumWidth(480)

    def _add_model(self, layout: QVBoxLayout | QHBoxLayout, name: str, title: str, about: str) -> None:
        button = QRadioButton(f"{title}: {about}" if title else "")
        self.buttons[name] = button
        self.models.addButton(button)
        layout.addWidget(button)

    def _choose_folder(self) -> None:
        found = self._ask_folder()
        if found:
            self._folder = found
            self._show_folder()
            self.buttons[""].setChecked(True)

    def _show_folder(self) -> None:
        button = self.buttons[""]
        button.setText(
            tr("Another one: {name}").format(name=Path(self._folder).name)
            if self._folder
            else tr("Another Whisper model (CTranslate2 format)")
        )
        button.setToolTip(self._folder)
        button.setEnabled(bool(self._folder))

    def _missing(self) -> list[str]:
        known = {t.casefold() for t in self._terms()}
        return [name for name in self._offered if name.casefold() not in known]

    def add_offered(self) -> None:
        """Put the names on the list that the episode holds elsewhere."""
        self.terms.setPlainText("\n".join([*self._terms(), *self._missing()]))

    def _terms(self) -> list[str]:
        return [line.strip() for line in self.terms.toPlainText().splitlines() if line.strip()]

    def choice(self) -> str:
        """The chosen model: a name or a folder."""
        name = next(name for name, button in self.buttons.items() if button.isChecked())
        return name or self._folder

    def spoken(self) -> Spoken:
        """Language and names."""
        return Spoken(self.language.currentData(), tuple(self._terms()))
