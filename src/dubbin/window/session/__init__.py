"""An open episode in the window: its recordings, what is computed of them, what is heard, where one works."""
