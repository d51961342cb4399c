"""Where somebody speaks, where nobody does, and what is said."""
