"""The frame that all steps share."""
