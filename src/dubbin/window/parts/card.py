"""The sheets on the job card: a frame with a heading, and rows of a name and a figure."""

from __future__ import annotations

from typing import Protocol, cast

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dubbin.core.texts import tr
from dubbin.guide import anchor_of
from dubbin.window.parts.slider import MarkedSlider
from dubbin.window.parts.switch import Switch
from dubbin.window.parts.theme import Theme


def label(text: str = "", kind: str = "", wrap: bool = False) -> QLabel:
    out = QLabel(text)
    out.setTextFormat(Qt.TextFormat.PlainText)  # text from files is shown as it stands
    if kind:
        out.setProperty("kind", kind)
    out.setWordWrap(wrap)
    return out


def set_style_property(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the style sheet looks at, and have it look again."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        style = widget.style()
        if style is not None:
            style.unpolish(widget)
            style.polish(widget)


def set_kind(widget: QWidget, kind: str) -> None:
    """Change what a label says by its colour."""
    set_style_property(widget, "kind", kind)


class ShowsHelp(Protocol):
    """A window that has the guide."""

    def show_help(self, anchor: str) -> None: ...


class HelpButton(QPushButton):
    """Opens the guide at the paragraph about the card that it stands on."""

    def __init__(self, title: str, anchor: str) -> None:
        super().__init__("?")
        self.anchor = anchor
        self.setProperty("kind", "help")
        self.setToolTip(tr("What is this? The guide on {title}").format(title=title))
        self.setAccessibleName(tr("What is this? {title}").format(title=title))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(self._open)

    def _open(self) -> None:
        window = cast(ShowsHelp, self.window())
        if hasattr(window, "show_help"):
            window.show_help(self.anchor)


def add_help(head: QHBoxLayout, title: str) -> None:
    """Put the button into a card's heading, where the guide tells of the card."""
    anchor = anchor_of(title)
    if anchor:
        head.addWidget(HelpButton(title, anchor))


class Card(QFrame):
    """A sheet with a heading; `body` takes what belongs on it."""

    def __init__(self, title: str = "") -> None:
        super().__init__()
        self.setObjectName("card")
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(11, 9, 11, 10)
        self.body.setSpacing(6)
        if title:
            head = QHBoxLayout()
            head.addWidget(label(title, "strong"))
            head.addStretch(1)
            add_help(head, title)
            self.body.addLayout(head)

    def set_active(self, active: bool) -> None:
        set_style_property(self, "active", active)


class FigureRows(QWidget):
    """Rows of a muted name at the left and a strong figure at the right."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(0, 1)
        self._rows: dict[str, QLabel] = {}
        self._names: dict[str, QLabel] = {}

    def show_row(self, name: str, value: str, kind: str = "strong") -> None:
        if name not in self._rows:
            row = len(self._rows)
            self._names[name] = label(name, "muted")
            self._grid.addWidget(self._names[name], row, 0)
            figure = label("", "strong")
            figure.setAlignment(Qt.AlignmentFlag.AlignRight)
            self._grid.addWidget(figure, row, 1)
            self._rows[name] = figure
        figure = self._rows[name]
        figure.setText(value)
        set_kind(figure, kind)

    def set_row_visible(self, name: str, visible: bool) -> None:
        """Hide a row that says nothing now; one that was never shown stays away."""
        if name in self._rows:
            self._rows[name].setVisible(visible)
            self._names[name].setVisible(visible)

    def value(self, name: str) -> str:
        return self._rows[name].text()


class TreatmentCard(Card):
    """A treatment: switch, name, strength, and figures before and after."""

    def __init__(self, theme: Theme, title: str, *, strength: bool = True) -> None:
        super().__init__()
        self.title = title
        head = QHBoxLayout()
        head.setSpacing(9)
        self.switch = Switch(theme, tr("{title} on or off").format(title=title))
        self.percent = label("", "muted")
        head.addWidget(self.switch)
        head.addWidget(label(title, "strong"))
        head.addStretch(1)
        head.addWidget(self.percent)
        add_help(head, title)
        self.body.addLayout(head)
        self.slider = MarkedSlider(theme, tr("Strength of {title}").format(title=title))
        self.slider.setToolTip(
            tr("How much of the treatment is applied. The green tick is the suggested strength; double-click goes there.")
        )
        if strength:
            self.body.addWidget(self.slider)
        self.rows = FigureRows()
        self.body.addWidget(self.rows)

    def show_state(self, on: bool, strength: float | None, suggested: float | None = None) -> None:
        self.switch.show_state(on)
        self.set_active(on)
        if strength is not None:
            self.slider.setVisible(on)
            if not self.slider.is_dragged:
                self.slider.show_value(strength, suggested)
            self.percent.setText(f"{strength:.0f} %" if on else tr("off"))
