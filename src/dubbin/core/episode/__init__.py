"""The episode: plain data, the ways to change it, and how it is kept."""
