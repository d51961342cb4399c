"""Drives the real window over the demo and takes a picture of each step."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image

ROOT = Path(__file__).resolve().parent.parent
OUT, GUIDE = ROOT / "docs" / "screenshots", ROOT / "src" / "dubbin" / "guide" / "pictures"
GUIDE_PX = 840  # width of a picture in the guide


def in_few_colours(path: Path) -> Image.Image:
    """A picture as wide as the guide has room for, in the 256 colours that are nearest to its own: a ground of one colour stays one."""
    with Image.open(path) as picture:
        smaller = picture.convert("RGB").resize((GUIDE_PX, round(picture.height * GUIDE_PX / picture.width)), Image.Resampling.LANCZOS)
    # Begun with colours that lie far apart: the commonest would leave none for a green tick.
    return smaller.quantize(256, method=Image.Quantize.MAXCOVERAGE, kmeans=5, dither=Image.Dither.NONE)


def main() -> None:
    home = tempfile.mkdtemp(prefix="dubbin-shots-")
    os.environ["DUBBIN_HOME"] = home
    os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia.*=false")
    from PyQt6.QtCore import QSize
    from PyQt6.QtGui import QPixmap
    from PyQt6.QtPdf import QPdfDocument
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from dubbin import guide
    from dubbin.core.episode.commands.markers import add_marker
    from dubbin.core.episode.document import Document
    from dubbin.core.folders import user_folders
    from dubbin.core.sound.working_copy import WorkingCopies
    from dubbin.demo.episode import build_demo
    from dubbin.window.lanes.lane_pictures import Picture
    from dubbin.window.parts.theme import Theme
    from dubbin.window.rooms import make_window
    from dubbin.window.shell.step import Step

    app = QApplication(sys.argv[:1])
    theme, folders = Theme(app), user_folders()
    path = build_demo(Path(home) / "demo", WorkingCopies(folders.copies))
    window = make_window(folders, theme)
    window.show()
    QTest.qWait(300)
    window.grab().save(str(OUT / "0-welcome.png"))
    window.set_document(Document.opened(folders.journals, path))
    OUT.mkdir(parents=True, exist_ok=True)

    def settle() -> None:
        until = time.monotonic() + 180
        QTest.qWait(300)
        while window.jobs.live and time.monotonic() < until:
            QTest.qWait(100)
        QTest.qWait(200)

    def keep(picture: QPixmap, name: str) -> None:
        """Into the documentation and, smaller and in few colours, into the guide."""
        picture.save(str(OUT / f"{name}.png"))
        if f"pictures/{name}.png" in guide.text():
            GUIDE.mkdir(exist_ok=True)
            in_few_colours(OUT / f"{name}.png").save(GUIDE / f"{name}.png", optimize=True)
        print(OUT / f"{name}.png")

    def shot(name: str) -> None:
        settle()
        window.notices.hide()  # a sentence that names a folder of this computer
        QApplication.processEvents()  # its room is given back
        keep(window.grab(), name)

    def look_at(start_s: float, end_s: float) -> None:
        rate = window.session.episode.rate
        a, b = (window.view.map.to_program_or_next(round(s * rate)) for s in (start_s, end_s))
        window.view.show_range(a, b)

    settle()
    window.navigation.go(round(61.5 * window.session.episode.rate))
    rate = window.session.episode.rate
    for at_s, why in ((39.2, "laughs too close"), (101.5, "break goes here")):
        window.session.do(add_marker(window.session.episode, round(at_s * rate), why))
    window.session.pick_lane(window.session.episode.lanes[1].id)
    shot("1-intake")
    window.go_step(Step.REPAIR)
    repair = window.pages[Step.REPAIR]
    for lane in window.session.episode.lanes[:2]:
        window.session.pick_lane(lane.id)
        settle()
    window.actions_by_id["repair-all"].run()
    settle()
    look_at(50.0, 62.0)
    window.lanes.pictures.set_picture(Picture.BOTH)
    repair.panes.choice._choose("places")
    shot("2-repair-places")
    window.lanes.pictures.set_picture(Picture.WAVES)
    repair.panes.choice._choose("spectrum")
    window.session.pick_lane(window.session.episode.lanes[0].id)
    look_at(50.0, 78.0)
    shot("2-repair")
    window.go_step(Step.EDIT)
    edit = window.pages[Step.EDIT]
    settle()
    while any(window.jobs.is_busy(("retakes", lane.id)) for lane in window.session.episode.lanes) or not window.speech.retakes():
        QTest.qWait(100)
    window.pages[Step.EDIT].acts.pausing.toggle_all()
    window.pages[Step.EDIT].acts.retakes.keep_last()
    window.pages[Step.EDIT].acts.fillers.cut(window.speech.fillers())
    window.navigation.go(round(9.9 * rate))
    look_at(5.0, 17.0)
    shot("3-edit")
    window.navigation.go(round(150.0 * rate))
    window.pages[Step.EDIT].acts.inserting.insert_break(30.0, "Advertisement", True)
    window.pages[Step.EDIT].acts.chaptering.suggest()
    window.view.set_folded(True)
    window.view.show_all()
    edit.tabs.show_tab("program")
    shot("3-edit-program")
    window.view.set_folded(False)
    window.view.show_all()
    window.go_step(Step.VOICE)
    settle()
    window.pages[Step.VOICE].suggest.click()
    shot("4-voice")
    window.view.set_folded(True)
    window.view.show_all()
    for lane in window.session.episode.lanes[1:2]:
        window.session.pick_lane(lane.id)
        settle()
        window.pages[Step.VOICE].suggest.click()
    settle()
    window.go_step(Step.BALANCE)
    settle()
    window.pages[Step.BALANCE].suggest.click()
    settle()
    window.playing.play_from(round(20 * rate))
    QTest.qWait(4500)
    shot("5-balance")
    window.player.stop()
    window.go_step(Step.MASTER)
    settle()
    master = window.pages[Step.MASTER]
    for name in ("podcast-mono", "broadcast-r128", "audiobook"):
        master.targets.boxes[name].click()
    shot("6-master")
    master.formats.boxes["flac"].click()
    masters = Path(home) / "masters"
    masters.mkdir()
    window.pages[Step.MASTER].exporting.export_to(masters)
    shot("6-masters")
    master.panes.show_tab("clips")
    settle()
    master.clips.tick(master.clips.found[0], True)
    shot("6-clips")
    sheet = QPdfDocument(window)
    sheet.load(str(next(masters.glob("*.podcast-stereo.mp3.proof.pdf"))))
    sheet.render(0, QSize(760, 1075)).save(str(OUT / "7-proof-sheet.png"))
    fresh = make_window(folders, theme, Document.opened(folders.journals, path))
    fresh.show()
    QTest.qWait(500)
    fresh.card_sheet.show()
    while not fresh.card_sheet.run.can_run():
        QTest.qWait(100)
    fresh.card_sheet.start.click()
    while fresh.card_sheet.run.is_running:
        QTest.qWait(100)
    QTest.qWait(500)
    keep(fresh.grab(), "8-card")
    fresh.shut_down()
    window.shut_down()


if __name__ == "__main__":
    main()
