"""One file a question about a sound; answers are plain figures."""
