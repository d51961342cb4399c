"""The words pane: what is said, as a page to read and to edit."""
