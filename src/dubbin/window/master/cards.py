"""The sheets of the Master page: targets and formats, what goes along, tags and cover."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from dubbin.core.deliver.companions import COMPANIONS
from dubbin.core.deliver.formats import FORMATS
from dubbin.core.deliver.notes import draft_titles, sentences
from dubbin.core.deliver.publication import publication_of, read_cover
from dubbin.core.deliver.targets import Target
from dubbin.core.episode.commands.delivery import change_delivery
from dubbin.core.episode.model import Delivery, Tags
from dubbin.core.errors import DubbinError
from dubbin.core.texts import tr
from dubbin.window.parts.card import Card, label, set_kind
from dubbin.window.parts.layouts import clear_layout
from dubbin.window.session.session import Session

ON_THE_CARD = (("title", tr("Title")), ("show", tr("Show")), ("author", tr("Author")))
ALL_TAGS = (
    ("title", tr("Title")), ("show", tr("Show")), ("season", tr("Season")), ("number", tr("Episode")), ("author", tr("Author")), ("people", tr("People")), ("description", tr("Description")),
    ("year", tr("Year")), ("genre", tr("Genre")), ("language", tr("Language")), ("copyright", tr("Copyright")),
)  # fmt: skip
PICTURES = tr("Pictures (*.jpg *.jpeg *.png)")
TITLES = "titles"  # slot in which they are drafted


class ChoiceCard(Card):
    """Boxes to tick; `chosen` when one was clicked."""

    chosen = pyqtSignal()

    def __init__(self, title: str) -> None:
        super().__init__(title)
        self.boxes: dict[str, QCheckBox] = {}

    def add(self, name: str, text: str, tip: str = "") -> QCheckBox:
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda _=False: self.chosen.emit())
        self.boxes[name] = box
        return box

    def names(self) -> tuple[str, ...]:
        return tuple(name for name, box in self.boxes.items() if box.isChecked())

    def show_names(self, names: tuple[str, ...]) -> None:
        for name, box in self.boxes.items():
            box.setChecked(name in names)


class TargetCard(ChoiceCard):
    """edit_wanted: somebody wants targets of their own."""

    edit_wanted = pyqtSignal()

    def __init__(self, targets: dict[str, Target]) -> None:
        super().__init__(tr("Targets"))
        self.body.setSpacing(3)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(3)
        self.body.addLayout(self._rows)
        self.edit = QPushButton(tr("Edit targets …"))
        self.edit.setProperty("kind", "quiet")
        self.edit.setToolTip(tr("The rule of each target, and targets of your own."))
        self.edit.clicked.connect(self.edit_wanted)
        self.body.addWidget(self.edit)
        self.show_targets(targets)

    def show_targets(self, targets: dict[str, Target]) -> None:
        """Offer these, in their order."""
        while self._rows.count():
            item = self._rows.takeAt(0)
            row = item.layout() if item is not None else None
            if row is not None:
                clear_layout(row)
        self.boxes.clear()
        for target in targets.values():
            line = QHBoxLayout()
            line.addWidget(self.add(target.name, target.title, target.rule), 1)
            line.addWidget(label(target.aim_text, "muted"))
            self._rows.addLayout(line)


class FormatCard(ChoiceCard):
    def __init__(self) -> None:
        super().__init__(tr("Formats"))
        grid = QGridLayout()
        for k, format in enumerate(FORMATS.values()):
            grid.addWidget(self.add(format.name, format.title), k // 3, k % 3)
        self.vbr = QCheckBox(tr("MP3 VBR"))
        self.vbr.setToolTip(tr("MP3 with a variable bit rate."))
        self.vbr.clicked.connect(lambda _=False: self.chosen.emit())
        grid.addWidget(self.vbr, len(FORMATS) // 3, len(FORMATS) % 3)
        self.body.addLayout(grid)


class ExtrasCard(ChoiceCard):
    def __init__(self) -> None:
        super().__init__(tr("Also export"))
        grid = QGridLayout()
        for k, companion in enumerate(COMPANIONS):
            tip = ", ".join(companion.endings) + (
                tr("; from the episode's {needs}").format(needs=tr(companion.needs)) if companion.needs else ""
            )
            grid.addWidget(self.add(companion.name, companion.title, tip), k // 2, k % 2)
        self.body.addLayout(grid)


class TagsDialog(QDialog):
    """All that is written into the files."""

    def __init__(self, tags: Tags, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Tags"))
        self.resize(460, 420)
        form = QFormLayout(self)
        self.fields: dict[str, QLineEdit] = {}
        for name, text in ALL_TAGS:
            field = QLineEdit(getattr(tags, name))
            field.setAccessibleName(text)
            form.addRow(text, field)
            self.fields[name] = field
        self.fields["people"].setPlaceholderText(tr("names, parted by commas"))
        self.fields["language"].setPlaceholderText(tr("en, de, fr …"))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def tags(self) -> Tags:
        return Tags(**{name: field.text().strip() for name, field in self.fields.items()})


class TagsCard(Card):
    def __init__(self, session: Session) -> None:
        super().__init__(tr("Tags"))
        self._session = session
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(4)
        self.fields: dict[str, QLineEdit] = {}
        for name, text in ON_THE_CARD:
            field = QLineEdit()
            field.setAccessibleName(text)
            field.editingFinished.connect(lambda n=name: self._on_field(n))
            form.addRow(label(text, "muted"), field)
            self.fields[name] = field
        self.body.addLayout(form)
        row = QHBoxLayout()
        self.titles = QPushButton(tr("Titles …"))
        self.titles.setToolTip(tr("Titles drafted from what is said, to choose from and to edit."))
        self.titles.clicked.connect(self._on_titles)
        row.addWidget(self.titles)
        self.more, self.cover = QPushButton(tr("All tags …")), QPushButton(tr("Cover …"))
        self.more.clicked.connect(self._on_more)
        self.cover.clicked.connect(self._on_cover)
        self.cover.setToolTip(tr("A square JPEG or PNG, 1400 to 3000 pixels a side."))
        row.addWidget(self.more)
        row.addWidget(self.cover)
        self.body.addLayout(row)
        self.remark = label("", "muted", wrap=True)
        self.body.addWidget(self.remark)
        self._looked_at: tuple[str, str, bool] = ("", "", True)

    def _on_field(self, name: str) -> None:
        tags = self._session.episode.delivery.tags
        if getattr(tags, name) != self.fields[name].text():
            self.set_tags(replace(tags, **{name: self.fields[name].text()}))

    def _on_titles(self) -> None:
        """Have titles drafted, and offered: the words of an hour take longer than a window may be held."""
        document = self._session.document
        episode = document.history.episode

        def done(titles: list[str]) -> None:
            if self._session.document is document:
                self._offer(titles)

        work = lambda _: draft_titles(sentences(publication_of(episode).words))  # noqa: E731
        self._session.jobs.start(TITLES, tr("Drafting titles"), work, done, quiet=True)

    def _offer(self, titles: list[str]) -> None:
        if not titles:
            self._session.said.emit(tr("Titles are drafted from what is said: have it transcribed in Edit first."))
            return
        title, done = QInputDialog.getItem(self, tr("Title"), tr("Drafts; choose one, and make it yours:"), titles, 0, True)
        if done and title.strip():
            self.set_tags(replace(self._session.episode.delivery.tags, title=title.strip()))

    def set_tags(self, tags: Tags) -> None:
        if tags != self._session.episode.delivery.tags:
            self._session.do(change_delivery(self._session.episode, tr("Change the tags"), tags=tags))

    def _on_more(self) -> None:
        dialog = TagsDialog(self._session.episode.delivery.tags, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.set_tags(dialog.tags())

    def _on_cover(self) -> None:
        old = self._session.episode.delivery.cover
        name, _ = QFileDialog.getOpenFileName(self, tr("Cover"), str(Path(old).parent) if old else str(Path.home()), PICTURES)
        if name:
            self.set_cover(name)

    def set_cover(self, name: str) -> None:
        """Take a picture as the cover; says why when it can't be used."""
        try:
            read_cover(Path(name))
        except DubbinError as error:
            self._session.said.emit(str(error))
            return
        self._session.do(change_delivery(self._session.episode, tr("Choose a cover"), cover=name))

    def refresh(self, delivery: Delivery) -> None:
        for name, field in self.fields.items():
            if not field.hasFocus():
                field.setText(getattr(delivery.tags, name))
                field.setCursorPosition(0)
        if delivery.cover != self._looked_at[0]:
            self._looked_at = (delivery.cover, *_remark_on(delivery.cover))
        self.remark.setVisible(bool(delivery.cover))
        self.remark.setText(self._looked_at[1])
        set_kind(self.remark, "muted" if self._looked_at[2] else "bad")


def _remark_on(name: str) -> tuple[str, bool]:
    """What is to be said of a cover, and whether it is as it should be."""
    if not name:
        return "", True
    try:
        cover = read_cover(Path(name))
    except DubbinError as error:
        return f"▲ {error}", False
    text = tr("Cover: {name}, {width} x {height}").format(name=Path(name).name, width=cover.width, height=cover.height)
    return ("\n".join([text, *(f"▲ {r}" for r in cover.remarks)]), not cover.remarks)
