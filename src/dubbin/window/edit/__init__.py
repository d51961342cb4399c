"""The Edit step."""
