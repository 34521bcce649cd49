"""The camera solved: from features over all frames to its path, its lens and the points it saw."""
