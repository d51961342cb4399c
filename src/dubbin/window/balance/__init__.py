"""The Balance step."""
