"""The Intake step."""
