"""Everything that computes; knows no Qt and can be used from a script."""
