"""Menu entry, icons, file type, manual page and completions: written, valid, used by the shells themselves, and gone again without a trace."""

from __future__ import annotations

import io
import json
import os
import shutil
import stat
import subprocess
from pathlib import Path

import pytest
from PIL import Image

from dubbin.cli.main import main
from dubbin.desktop.completions import SHELLS, commands, completions
from dubbin.desktop.integration import FILES, ICON_SIZES, PLACES, data_home, drawn, install, remove


def needs(program: str):
    """Skipped where a program is not there, but never where everything is checked."""
    return pytest.mark.skipif(not shutil.which(program) and not os.environ.get("CI"), reason=f"{program} is not installed here")


def everything_in(folder: Path) -> set[Path]:
    return {path.relative_to(folder) for path in folder.rglob("*")}


@pytest.fixture
def home(tmp_path, monkeypatch) -> Path:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("DUBBIN_HOME", str(tmp_path / "dubbin"))
    return tmp_path / "data"


def test_all_is_written_below_the_users_own_folder_and_removed_without_a_trace(home, capsys):
    kept = home / "applications" / "other.desktop"
    kept.parent.mkdir(parents=True)
    kept.write_text("[Desktop Entry]\n")
    before = everything_in(home)
    assert main(["desktop", "--install", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["folder"] == str(home) and len(told["files"]) == len(PLACES) + 2 * len(ICON_SIZES)
    assert all(Path(path).is_file() for path in told["files"]) and all((home / place).is_file() for place in PLACES.values())
    assert main(["desktop", "--install"]) == 0 and main(["desktop", "--remove"]) == 0
    assert str(len(told["files"])) in capsys.readouterr().out
    assert {path for path in everything_in(home) - before if path.name != "mimeinfo.cache"} == set() and kept.is_file()
    assert main(["desktop", "--remove"]) == 0 and "0 files" in capsys.readouterr().out


@pytest.mark.parametrize("arguments", [[], ["--install", "--remove"]])
def test_one_of_both_is_wanted(home, arguments, capsys):
    assert main(["desktop", *arguments]) == 2 and "--install or --remove" in capsys.readouterr().err
    assert not home.exists()


def test_where_nothing_can_be_written_a_sentence_says_so(tmp_path):
    (tmp_path / "applications").write_text("a file in the way")
    from dubbin.core.errors import CannotWrite

    with pytest.raises(CannotWrite, match="could not be written"):
        install(tmp_path, "dubbin")


def test_the_data_folder_is_that_of_the_rules(monkeypatch, tmp_path):
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.delenv("XDG_DATA_HOME", raising=False)
    assert data_home() == tmp_path / ".local" / "share"
    monkeypatch.setenv("XDG_DATA_HOME", "relative")  # to be ignored, says the specification
    assert data_home() == tmp_path / ".local" / "share"
    monkeypatch.setenv("XDG_DATA_HOME", "/data")
    assert data_home() == Path("/data")


def test_icons_are_pictures_of_their_size_that_show_something():
    for size in ICON_SIZES:
        for name in ("dubbin.svg", "application-x-dubbin-episode.svg", "dubbin-symbolic.svg"):
            picture = Image.open(io.BytesIO(drawn(FILES / name, size)))
            assert picture.size == (size, size) and picture.mode == "RGBA"
            low, high = picture.getchannel("A").getextrema()
            assert low == 0 < high


@needs("desktop-file-validate")
@pytest.mark.parametrize("command", ["dubbin", "/opt/My programs/dubbin", '/odd/"$`\\%/dubbin'])
def test_the_menu_entry_is_valid_wherever_the_program_is(tmp_path, command):
    install(tmp_path, command)
    entry = tmp_path / "applications" / "dubbin.desktop"
    done = subprocess.run(["desktop-file-validate", entry], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout == ""
    (line,) = [line for line in entry.read_text().splitlines() if line.startswith("Exec=")]
    assert line.endswith(" open %f") and (command != "dubbin" or line == "Exec=dubbin open %f")


@needs("appstreamcli")
def test_the_description_for_software_centres_is_valid():
    done = subprocess.run(
        ["appstreamcli", "validate", "--no-net", FILES / "org.dubbin.Dubbin.metainfo.xml"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout


@needs("update-mime-database")
def test_an_episode_is_known_by_its_ending(tmp_path):
    install(tmp_path, "dubbin")
    assert "application/x-dubbin-episode:*.dubbin" in (tmp_path / "mime" / "globs").read_text()
    other = tmp_path / "mime" / "packages" / "other.xml"
    other.write_text((FILES / "dubbin-mime.xml").read_text().replace("dubbin", "other"))
    remove(tmp_path)
    globs = (tmp_path / "mime" / "globs").read_text()
    assert "dubbin" not in globs and "other" in globs


def test_in_a_new_home_nothing_at_all_is_left(tmp_path):
    install(tmp_path, "dubbin")
    remove(tmp_path)
    assert everything_in(tmp_path) == set()


# -- completions ------------------------------------------------------------------------


@pytest.mark.parametrize("shell", SHELLS)
def test_the_completions_that_ship_are_those_that_the_parser_makes(shell):
    assert (FILES / SHELLS[shell]).read_text() == completions(shell), (
        f"python -m dubbin.desktop.completions {shell} > {FILES / SHELLS[shell]}"
    )


@pytest.mark.parametrize("shell", SHELLS)
def test_every_command_and_option_stands_in_them(shell):
    text = completions(shell)
    for name, (_, actions) in commands().items():
        assert name in text
        for option in (o for a in actions for o in a.option_strings):
            assert option.lstrip("-") in text


@pytest.mark.parametrize("shell", [pytest.param(s, marks=needs(s)) for s in SHELLS])
def test_the_shells_themselves_take_them(shell):
    done = subprocess.run([shell, "-n", FILES / SHELLS[shell]], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stderr == ""


def offered(*words: str) -> set[str]:
    """What bash offers at the end of a line."""
    line = f'source "{FILES / "dubbin.bash"}"; COMP_WORDS=({" ".join(words)} ""); COMP_CWORD={len(words)}; _dubbin; printf "%s\\n" "${{COMPREPLY[@]}}"'
    return set(subprocess.run(["bash", "-c", line], capture_output=True, text=True, check=True).stdout.split())


def test_bash_offers_commands_choices_and_files(tmp_path, monkeypatch):
    (tmp_path / "talk.wav").touch()
    monkeypatch.chdir(tmp_path)
    assert {"check", "master", "review", "batch"} <= offered("dubbin")
    assert offered("dubbin", "clean", "--engine") == {"neural", "statistical"}
    assert offered("dubbin", "check") == {"talk.wav"}


@needs("fish")
def test_fish_offers_commands_and_choices(tmp_path):
    def asked(line: str) -> str:
        script = f"source {FILES / 'dubbin.fish'}; complete -C '{line}'"
        return subprocess.run(
            ["fish", "-c", script], capture_output=True, text=True, check=True, env={**os.environ, "HOME": str(tmp_path)}
        ).stdout

    assert "review\t" in asked("dubbin r") and "neural" in asked("dubbin clean --engine ")


# -- about ------------------------------------------------------------------------------


def test_about_tells_versions_and_nothing_of_anybodys_work(home, capsys):
    assert main(["about", "--json"]) == 0
    known = json.loads(capsys.readouterr().out)
    assert (
        known["libraries"]["numpy"][0].isdigit()
        and known["models"]["quick speech"] == "there"
        and set(known["encoders"].values()) == {"there"}
    )
    assert "missing" not in known["libraries"].values()
    assert main(["about"]) == 0 and "libraries:" in capsys.readouterr().out


def test_a_read_only_folder_is_a_sentence_of_the_command(home, capsys):
    if os.geteuid() == 0:
        pytest.skip("root may write everywhere")
    home.mkdir()
    home.chmod(stat.S_IRUSR | stat.S_IXUSR)
    assert main(["desktop", "--install"]) == 1 and "Traceback" not in capsys.readouterr().err
