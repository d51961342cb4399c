"""The lanes: waves, pauses, cuts and the play head, on one time axis."""
