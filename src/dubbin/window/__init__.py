"""The Qt application: pages, lanes, job card, evidence, player, theme. Computes nothing itself."""
