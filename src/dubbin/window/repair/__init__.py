"""The Repair step."""
