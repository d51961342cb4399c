"""Dubbin: from recorded speech to masters that provably pass."""

__version__ = "0.1.0"
