"""What the window works on: what is open and chosen, what is known, what is being computed, and how it is changed."""

from transmixis.desk.state.chosen import GROUNDS, OWN, VIEWS
from transmixis.desk.state.state import State

__all__ = ["GROUNDS", "OWN", "VIEWS", "State"]
