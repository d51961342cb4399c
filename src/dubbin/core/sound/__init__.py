"""What a sound is: samples, rates, files, working copies, peaks."""
