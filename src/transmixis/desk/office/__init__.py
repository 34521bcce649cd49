"""The board's office: the schedule, the people and dates that it is laid out from."""
