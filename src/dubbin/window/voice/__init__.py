"""The Voice step."""
