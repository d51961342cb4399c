"""Playback: a thread that renders ahead, and a device or its simulation that plays."""
