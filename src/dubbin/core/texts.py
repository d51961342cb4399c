"""Texts in the language of whoever reads them: the English of the code, or a translation, which is a file.

A translation is a GNU gettext catalogue, one file a language: `fr.mo` beside the program's own (dubbin/translations) or in the person's folder of translations. Its
template is share/dubbin.pot. Texts of tables are looked up when their module is loaded, so a language is set before the first of them is.
"""

from __future__ import annotations

import gettext
import string
from collections.abc import Iterable
from pathlib import Path
from typing import Any

SHIPPED = Path(__file__).parents[1] / "translations"
ENGLISH = "en"
_active, _code = gettext.NullTranslations(), ENGLISH
_folders: tuple[Path, ...] = ()


def language() -> str:
    """Code of the language that is set."""
    return _code


def language_folders() -> tuple[Path, ...]:
    """Where catalogues are looked for before the program's own: for a process that is to speak the same language."""
    return _folders


def tr(text: str) -> str:
    """A text in the language that is set; as it is where nobody has translated it. Values go in by `.format`, so that another language may put them elsewhere."""
    return _active.gettext(text) if text else text


def mark(text: str) -> str:
    """A text as it is, noted for the template: it is looked up by `tr` where it is shown, and has other uses than that."""
    return text


def tr_count(one: str, many: str, count: int, **values: object) -> str:
    """The form of a text that fits a count; languages have one to six of them. {count} and other {values} are filled in."""
    return _active.ngettext(one, many, count).format(count=count, **values)


def languages(folders: Iterable[Path] = ()) -> list[str]:
    """Codes of the languages that there is a catalogue of, in the program's own folder or in another one; English is always there."""
    found = {path.stem for folder in (SHIPPED, *folders) if folder.is_dir() for path in folder.glob("*.mo")}
    return sorted(found | {ENGLISH})


def use_language(codes: Iterable[str], folders: Iterable[Path] = ()) -> str:
    """Set the first of some languages that there is a catalogue of (de_AT: or of de), else English; its code.

    folders: looked in before the program's own. A catalogue that can't be read is none, and a line of it that asks for values that its text does not have stays English.
    """
    global _active, _code, _folders
    _folders = tuple(folders)
    _active, _code = _first(codes, (*_folders, SHIPPED))
    return _code


def _first(codes: Iterable[str], folders: Iterable[Path]) -> tuple[gettext.NullTranslations, str]:
    for code in codes:
        plain = code.split(".")[0].replace("-", "_")
        for name in (plain, plain.split("_")[0]):
            if name.lower() in (ENGLISH, "c", "posix"):
                return gettext.NullTranslations(), ENGLISH
            for folder in folders:
                catalogue = _read(folder / f"{name}.mo") if name.isidentifier() else None
                if catalogue is not None:
                    return catalogue, name
    return gettext.NullTranslations(), ENGLISH


class _Catalogue(gettext.GNUTranslations):
    """One whose lines can all be filled in: what wants a value that its English has not is left out."""

    def _parse(self, fp: Any) -> None:
        super()._parse(fp)
        lines: dict[str | tuple[str, int], str] = self._catalog  # type: ignore[attr-defined]
        for key, translated in list(lines.items()):
            english = key if isinstance(key, str) else key[0]
            if english and not _fields(translated) <= _fields(english) | {"count"}:
                del lines[key]


def _fields(text: str) -> set[str]:
    """Names of the values that go into a text. Braces that belong to no value make it one that can't be filled in."""
    try:
        return {name for _, name, _, _ in string.Formatter().parse(text) if name is not None}
    except ValueError:
        return {text}


def _read(path: Path) -> gettext.GNUTranslations | None:
    try:
        with open(path, "rb") as file:
            return _Catalogue(file)
    except Exception:  # whatever its bytes lead to
        return None
