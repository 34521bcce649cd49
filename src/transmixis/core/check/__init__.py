"""Looking at the result as a viewer would."""
