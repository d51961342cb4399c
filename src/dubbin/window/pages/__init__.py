"""One page a step of the work: its job card and its evidence."""
