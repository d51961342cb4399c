"""The Master step."""
