"""The program on a desktop."""
