"""Targets, masters, tags and proof."""
