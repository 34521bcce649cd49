"""Mattes: keying a screen, spill, edges, garbage mattes, and how far a matte is from a truth."""
