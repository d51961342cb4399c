"""One file a treatment, all of one shape, and the chain that runs them."""
