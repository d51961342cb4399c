"""The card: the suggested work of every step up to Balance in one go. What it would do, the parts of doing it, and the list of what was done."""
