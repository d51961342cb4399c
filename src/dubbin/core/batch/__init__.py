"""Many episodes: on this machine's processes or on a cluster, and how they stand."""
