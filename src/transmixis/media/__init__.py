"""Frames from and to files: sequences, movies, stills, colour spaces, and the frame cache."""
