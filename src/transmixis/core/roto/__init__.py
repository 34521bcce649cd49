"""Shapes that follow: outlines, how they are carried from frame to frame, and which frame wants a hand."""
