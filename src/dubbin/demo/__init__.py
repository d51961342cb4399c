"""The demo episode: our own script, synthetic voices, and faults computed from a fixed seed."""
