"""Frames at other times than they were recorded."""
