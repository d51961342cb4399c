"""All the ways to change an episode, one file a noun: each takes an episode and returns the changed one with a title for the history."""
