"""Taking out of a plate what should not be there."""
