"""Which sound device plays: the one that the preferences name, or the best that there is."""

from __future__ import annotations

from dubbin.core.texts import tr
from dubbin.window.player.player import Player
from dubbin.window.player.sinks import best_sink, device_names
from dubbin.window.player.tone import short_tone
from dubbin.window.session.preferences import Preferences


class Device:
    def __init__(self, player: Player, preferences: Preferences) -> None:
        """Follows the player: a device that has gone gives way to another."""
        self._player, self._preferences = player, preferences
        player.device_lost.connect(self._on_lost)

    def choose(self, id: str) -> None:
        """Play there from now on; an empty id: on the best that there is."""
        self._player.set_sink(best_sink(self._player.rate, id))

    def follow(self, rate: int) -> None:
        """Play at a rate, in Hz: that of the episode which was opened."""
        if rate != self._player.rate:
            self._player.set_rate(rate, best_sink(rate, self._wanted()))

    def play_tone(self) -> str:
        """Play a short tone; what keeps it from being heard, if anything does."""
        self._player.play_sound(short_tone(self._player.rate))
        return "" if device_names() else tr("No sound device was found: nothing can be heard.")

    def _on_lost(self) -> None:
        self.choose(self._wanted())

    def _wanted(self) -> str:
        return str(self._preferences.get("sound_device", ""))
