"""What lies over the whole picture at the end: grade, tables, frame, shake, vignette, fringe, grain."""
