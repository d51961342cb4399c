"""Tests of all rooms of the house."""

import dubbin as dubbin  # before NumPy is: it says how many threads that takes, here as in the program
