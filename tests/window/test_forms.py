"""Forms and cards that are made from the settings of treatments alone."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import pytest
from PyQt6.QtTest import QTest

from dubbin.core.errors import BadSettings
from dubbin.core.treat.registry import REPAIRS, VOICE
from dubbin.core.treat.settings import Kind, choice, describe, numbers, setting, settings_from_plain, span, switch, value_from_text
from dubbin.demo.episode import EPISODE_FILE
from dubbin.window.parts.fields import SettingsForm
from dubbin.window.shell.step import Step
from tests.window.conftest import put_down


class Wood(StrEnum):
    OAK = "oak"
    ASH = "ash"


@dataclass(frozen=True)
class BenchSettings:
    """A treatment's settings with one of every kind."""

    wood: Wood = choice(Wood.OAK, "Wood", "What it is made of.")
    height_mm: float = setting(800.0, 100.0, 2000.0, "mm", "Height", "How high it stands.", when=("wood", Wood.OAK))
    drawer: bool = switch(False, "Drawer", "Whether it has one.", when=("wood", Wood.ASH))
    from_s: tuple[float, float] | None = span(
        "Sample", "Where it is heard.", pick="Take the selection", clear="let go", ask="Select first.", implies={"wood": "ash"}
    )


@pytest.fixture
def form(qtbot):
    form = SettingsForm(BenchSettings)
    qtbot.addWidget(form)
    form.show_settings(BenchSettings())
    form.show()
    return form


def test_a_form_has_a_field_for_every_setting_in_their_order(form):
    assert list(form.fields) == [info.name for info in describe(BenchSettings)]
    assert [info.kind for info in describe(BenchSettings)] == [Kind.CHOICE, Kind.NUMBER, Kind.SWITCH, Kind.SPAN]
    assert [info.name for info in numbers(BenchSettings)] == ["height_mm"]


def test_only_settings_that_mean_something_are_seen(form):
    assert form.fields["height_mm"].isVisible() and not form.fields["drawer"].isVisible()
    form.show_settings(BenchSettings(Wood.ASH))
    assert not form.fields["height_mm"].isVisible() and not form.labels["height_mm"].isVisible() and form.fields["drawer"].isVisible()


def test_every_kind_of_field_tells_its_new_plain_value(form, qtbot):
    told = []
    form.edited.connect(lambda name, value: told.append((name, value)))
    form.fields["height_mm"].setValue(900.0)
    form.fields["drawer"].click()
    form.fields["wood"].setCurrentIndex(1)
    form.fields["wood"].activated.emit(1)
    assert told == [("height_mm", 900.0), ("drawer", True), ("wood", "ash")]
    for name, value in told:
        settings_from_plain(BenchSettings, {name: value})


def test_a_span_is_asked_for_by_its_button(form, qtbot):
    with qtbot.waitSignal(form.span_wanted) as signal:
        form.fields["from_s"].click()
    assert signal.args == ["from_s"]


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [
        ("height_mm", "900", 900.0),
        ("drawer", "on", True),
        ("drawer", "OFF", False),
        ("wood", "Ash", "ash"),
        ("from_s", "1:2.5", [1.0, 2.5]),
    ],
)
def test_values_are_read_from_what_somebody_typed(name, text, value):
    assert value_from_text(BenchSettings, name, text) == value


@pytest.mark.parametrize(
    ("name", "text"), [("height_mm", "2001"), ("height_mm", "tall"), ("drawer", "1"), ("wood", "elm"), ("from_s", "1"), ("legs", "4")]
)
def test_what_can_not_be_is_refused_with_what_could(name, text):
    with pytest.raises(BadSettings):
        value_from_text(BenchSettings, name, text)


# -- the cards of the real window -------------------------------------------------------


@pytest.fixture
def window(qtbot, shared_window, short_demo):
    put_down(qtbot, shared_window, short_demo / EPISODE_FILE)
    return shared_window


@pytest.mark.parametrize(("step", "treatments"), [(Step.REPAIR, REPAIRS), (Step.VOICE, VOICE)])
def test_every_setting_of_every_treatment_stands_on_its_card(window, step, treatments):
    window.go_step(step)
    page = window.pages[step]
    for treatment in treatments:
        names = [info.name for info in describe(treatment.settings_type)]
        shown = list(page.sections[treatment.name].form.fields)
        assert shown == names or treatment.name == "equalise"  # its points are on the curve


def test_finest_is_switched_on_where_the_engine_is_neural(window):
    window.go_step(Step.REPAIR)
    section = window.pages[Step.REPAIR].sections["denoise"]
    section.card.switch.click()
    fields = section.form.fields
    assert fields["finest"].isVisible() and not fields["depth_db"].isVisible()
    fields["finest"].click()
    assert window.session.episode.lanes[0].repairs[0].settings == {"finest": True}
    fields["engine"].setCurrentIndex(0)
    fields["engine"].activated.emit(0)
    assert window.session.episode.lanes[0].repairs[0].settings == {"finest": True, "engine": "statistical"}
    assert not fields["finest"].isVisible() and fields["depth_db"].isVisible()


def test_noise_is_learned_from_the_selection_and_forgotten_again(window):
    window.go_step(Step.REPAIR)
    section, rate = window.pages[Step.REPAIR].sections["denoise"], window.session.episode.rate
    section.form.fields["noise_from_s"].click()
    assert "only the noise" in window.notices.text.text()
    window.selection.select(2 * rate, 3 * rate)
    section.form.fields["noise_from_s"].click()
    (use,) = window.session.episode.lanes[0].repairs
    assert use.on and use.settings == {"noise_from_s": [2.0, 3.0], "engine": "statistical"}
    section.form.fields["noise_from_s"].click()
    assert window.session.episode.lanes[0].repairs[0].settings == {"engine": "statistical"}
    window.actions_by_id["undo"].run()
    assert window.session.episode.lanes[0].repairs[0].settings["noise_from_s"] == [2.0, 3.0]


def test_a_setting_is_an_undo_step_with_a_name(window):
    window.go_step(Step.VOICE)
    section = window.pages[Step.VOICE].sections["compress"]
    section.card.switch.click()
    section.form.fields["follows"].click()
    assert window.session.document.history.done[-1].title == "Release follows for Ines"
    assert window.session.episode.lanes[0].voice_chain[0].settings == {"follows": False}
    QTest.qWait(1)
