"""Dubbin: from recorded speech to masters that provably pass."""

import os

# Work is spread over the cores by `core.jobs`: products of matrices that took threads of their own beside would only wait for a core (a fourteenth of the time of a card of ten minutes).
# It is read when NumPy is first imported. Who sets it decides.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
