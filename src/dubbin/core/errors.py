"""The family of errors whose text is written for people."""

MOST_LETTERS, LAST_LETTERS = 1500, 400  # of a sentence: what it quotes out of a file may be of any length


class DubbinError(Exception):
    """Something a person can mend; the text is one plain sentence that says how, without the middle of what is far too long to be read."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text if len(text) <= MOST_LETTERS else f"{text[: MOST_LETTERS - LAST_LETTERS]} … {text[-LAST_LETTERS:]}")


class WrongUse(DubbinError):
    """A call that can't be meant: the command line ends with exit code 2."""


class BadSettings(DubbinError, ValueError):
    """A setting that there is not, or a value out of its range."""


class UnusableSound(DubbinError):
    """A file that can't be read as sound."""


class CannotWrite(DubbinError):
    """A result that could not be put where it was wanted; nothing was left half-written."""


class ChangedElsewhere(CannotWrite):
    """The file holds something else than when it was read: another program has written it, and a person decides whether it is written over."""


class BadEpisode(DubbinError):
    """An episode file that can't be understood."""


class Cancelled(Exception):
    """Raised inside long work when its job was cancelled; never shown."""
