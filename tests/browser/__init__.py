"""Pages in real browsers."""
